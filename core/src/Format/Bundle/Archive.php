<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Problem;

/** The files of a delivery, whatever they are packed in. Nothing is ever written where an entry's name says. */
abstract class Archive
{
    private const MOST_ENTRIES = 10_000;

    public function __construct(protected readonly string $path) {}

    public static function open(string $path): self
    {
        if (is_dir($path)) {
            return new Folder($path);
        }
        $head = (string) @file_get_contents($path, false, null, 0, 512);
        if (str_starts_with($head, "PK\x03\x04") || str_starts_with($head, "PK\x05\x06")) {
            return new Zip($path);
        }
        if (str_starts_with($head, "\x1f\x8b") || substr($head, 257, 5) === 'ustar' || preg_match('/\.tar$/i', $path)) {
            return new Tar($path);
        }
        throw Problem::input(basename($path).' is no scene bundle: it is neither a tar, tar.gz or zip archive nor a folder.');
    }

    /**
     * All files, checked. $each is given a function that reads the content of the file at hand, up to a number of bytes.
     *
     * @param  (callable(Entry, callable(int): string): void)|null  $each
     * @return list<Entry>
     */
    abstract public function entries(?callable $each = null): array;

    /** @param  array<string, string>  $wanted entry name => file to write */
    abstract public function extract(array $wanted): void;

    public function label(): string
    {
        return basename($this->path);
    }

    protected function check(string $name, int $count): void
    {
        if ($count > self::MOST_ENTRIES) {
            throw Problem::input("{$this->label()} holds more than 10,000 files: this is no scene bundle.");
        }
        if (str_starts_with($name, '/') || preg_match('~(^|[/\\\\])\.\.([/\\\\]|$)|^[A-Za-z]:|\0~', $name)) {
            throw Problem::input("{$this->label()} is refused: its entry “{$name}” points outside the archive.");
        }
    }

    protected function broken(): Problem
    {
        return Problem::input("{$this->label()} is broken or ends too early: get the bundle anew.");
    }
}
