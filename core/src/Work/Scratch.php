<?php

namespace Chorometra\Core\Work;

/**
 * What all parts of one run share: a folder for temporary files, made when first asked for (its name holds the process, so that
 * leftovers of dead ones can be found), and what memory its workers took.
 */
final class Scratch
{
    /** Bytes that the workers of one pass took together at most. */
    public int $workers = 0;

    private ?string $folder = null;

    public function __construct(public readonly string $base) {}

    public function folder(): string
    {
        if ($this->folder === null) {
            $this->folder = "$this->base/chorometra-".getmypid().'-'.bin2hex(random_bytes(4));
            Files::folder($this->folder);
        }

        return $this->folder;
    }

    public function clean(): void
    {
        if ($this->folder !== null) {
            Files::remove($this->folder);
            $this->folder = null;
        }
    }

    /** Takes away what processes that are no longer there have left behind. */
    public static function sweep(string $base): void
    {
        Process::sweep("$base/chorometra-*");
    }
}
