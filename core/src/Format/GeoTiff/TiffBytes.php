<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Problem;

/** The bytes of a file, in its own byte order, with every position checked against its size. */
final class TiffBytes
{
    public readonly int $size;

    /** @var resource */
    private $handle;

    /** @throws Problem where the file can't be opened */
    public function __construct(public readonly string $path)
    {
        $handle = is_file($path) ? @fopen($path, 'rb') : false;
        if ($handle === false) {
            throw Problem::input(
                is_dir($path)
                    ? "{$this->label()} is a folder; a GeoTIFF file was expected."
                    : "{$this->label()} can't be opened: check the path and the permission to read it.",
            );
        }
        $this->handle = $handle;
        $this->size = (int) (fstat($handle)['size'] ?? 0);
    }

    public function label(): string
    {
        return basename($this->path);
    }

    /**
     * @param  string  $what names the part for the message when the file ends too early
     *
     * @throws Problem where the file ends before
     */
    public function bytes(int $offset, int $length, string $what): string
    {
        if ($offset < 0 || $length < 0 || $offset > $this->size || $length > $this->size - $offset) {
            throw Problem::input("{$this->label()} is broken: $what is beyond the end of the file ({$this->size} bytes); download the file again.");
        }
        if ($length === 0) {
            return '';
        }
        fseek($this->handle, $offset);
        $bytes = stream_get_contents($this->handle, $length);
        if ($bytes === false || strlen($bytes) !== $length) {
            throw Problem::input("{$this->label()} can't be read at byte $offset ($what).");
        }

        return $bytes;
    }

    public function broken(string $why): Problem
    {
        return Problem::input("{$this->label()} is broken: $why.");
    }

    /**
     * Forked children share a file position with their parent: each opens its own.
     *
     * @throws Problem where the file is gone
     */
    public function reopen(): void
    {
        $handle = @fopen($this->path, 'rb');
        if ($handle === false) {
            throw Problem::input("{$this->label()} went away while it was being read.");
        }
        $this->handle = $handle;
    }
}
