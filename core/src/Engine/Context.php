<?php

namespace Chorometra\Core\Engine;

use Chorometra\Core\Format\Files;
use Chorometra\Core\Stopped;

/** What a run is given by whoever asked for it: workers, a place for temporary files, someone to report to, a way to be stopped. */
final class Context
{
    private ?string $folder = null;

    /**
     * @param  \Closure(float, string): void|null  $progress  share done (0 to 1) and what is being done
     * @param  \Closure(): bool|null  $stopped
     * @param  bool  $trial  only the visible window is computed
     */
    public function __construct(
        public readonly int $workers = 2,
        private readonly ?string $temporary = null,
        private readonly ?\Closure $progress = null,
        private readonly ?\Closure $stopped = null,
        private readonly float $from = 0.0,
        private readonly float $to = 1.0,
        public readonly bool $trial = false,
    ) {}

    public function report(float $share, string $doing): void
    {
        if ($this->progress !== null) {
            ($this->progress)($this->from + ($this->to - $this->from) * min(1.0, $share), $doing);
        }
        $this->check();
    }

    public function check(): void
    {
        if ($this->stopped !== null && ($this->stopped)()) {
            throw new Stopped('Stopped; nothing was changed.');
        }
    }

    /** A part of the work, whose shares count from $from to $to of the whole. */
    public function part(float $from, float $to): self
    {
        $span = $this->to - $this->from;

        return new self($this->workers, $this->temporary, $this->progress, $this->stopped, $this->from + $span * $from, $this->from + $span * $to, $this->trial);
    }

    /** A folder of its own for temporary files; its name holds the process, so that leftovers of dead ones can be found. */
    public function folder(): string
    {
        if ($this->folder === null) {
            $base = $this->temporary ?? sys_get_temp_dir();
            $this->folder = $base.'/chorometra-'.getmypid().'-'.bin2hex(random_bytes(4));
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
    public static function sweep(string $temporary): void
    {
        foreach (glob("$temporary/chorometra-*", GLOB_ONLYDIR) ?: [] as $folder) {
            if (preg_match('/chorometra-(\d+)-[0-9a-f]{8}$/', $folder, $match) && ! file_exists("/proc/$match[1]")) {
                Files::remove($folder);
            }
        }
    }
}
