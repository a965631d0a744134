<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Problem;

/** The files of a delivery, whatever they are packed in. Nothing is ever written where an entry's name says. */
abstract class PackedFiles
{
    private const MOST_ENTRIES = 10_000;

    /** How many times its size an archive may have unpacked, once that is more than FREE. */
    private const MOST_RATIO = 300;

    private const FREE = 256 << 20;

    /** @param  float|null  $until  moment after which looking through it is given up */
    public function __construct(protected readonly string $path, protected readonly ?float $until = null) {}

    /**
     * @param  float|null  $seconds  for looking through it; as long as it takes when null
     *
     * @throws Problem where it is neither an archive nor a folder
     */
    public static function open(string $path, ?float $seconds = null): self
    {
        $until = $seconds === null ? null : microtime(true) + $seconds;
        if (is_dir($path)) {
            return new Folder($path);
        }
        $head = (string) @file_get_contents($path, false, null, 0, 512);
        if (str_starts_with($head, "PK\x03\x04") || str_starts_with($head, "PK\x05\x06")) {
            return new Zip($path, $until);
        }
        if (str_starts_with($head, "\x1f\x8b") || substr($head, 257, 5) === 'ustar' || preg_match('/\.tar$/i', $path)) {
            return new Tar($path, $until);
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
            throw Problem::input("{$this->label()} contains more than 10,000 files: this is not a scene bundle.");
        }
        if (! mb_check_encoding($name, 'UTF-8') || strlen($name) > 1000) {
            throw Problem::input("{$this->label()} is refused: the name of one of its files is too long or in an unknown encoding.");
        }
        if (str_starts_with($name, '/') || preg_match('~(^|[/\\\\])\.\.([/\\\\]|$)|^[A-Za-z]:|\0~', $name)) {
            throw Problem::input("{$this->label()} is refused: its entry “{$name}” points outside the archive.");
        }
    }

    /** Refuses what unpacks to far more than any scene would, before it is unpacked further. */
    protected function bound(int $unpacked): void
    {
        if ($unpacked > self::FREE && $unpacked > self::MOST_RATIO * (int) filesize($this->path)) {
            throw Problem::input(sprintf('%s is refused: it unpacks to more than %d times its size.', $this->label(), self::MOST_RATIO), 'image');
        }
        if ($this->until !== null && microtime(true) > $this->until) {
            throw new TooLong;
        }
    }

    /** Refuses before the work when the disk can't hold what is to be unpacked. */
    protected function room(int $bytes, string $folder): void
    {
        $free = @disk_free_space($folder);
        if ($free !== false && $free < $bytes) {
            throw Problem::computation(
                sprintf(
                    '%s unpacks to %d MB and the disk that holds %s has %d MB left: free some space, then run the step again.',
                    $this->label(),
                    $bytes >> 20,
                    $folder,
                    $free >> 20,
                ),
            );
        }
    }

    protected function broken(): Problem
    {
        return Problem::input("{$this->label()} is corrupt or truncated: download the bundle again.");
    }
}
