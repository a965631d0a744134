<?php

namespace Chorometra\Core\Work;

use Chorometra\Core\Stopped;

/** What a run is given by whoever asked for it: workers, a place for temporary files, someone to report to, a way to be stopped. */
final class Context
{
    private readonly Scratch $scratch;

    /**
     * @param  string|Scratch|null  $temporary  where temporary files go; the system's place for them when null
     * @param  \Closure(float, string): void|null  $progress  share done (0 to 1) and what is being done
     * @param  \Closure(): bool|null  $stopped
     * @param  bool  $trial  only the visible window is computed
     * @param  \Closure(string, list<float|int>): void|null  $grown  a figure that is a curve, and another point of it
     */
    public function __construct(
        public readonly int $workers = 2,
        string|Scratch|null $temporary = null,
        private readonly ?\Closure $progress = null,
        private readonly ?\Closure $stopped = null,
        private readonly float $from = 0.0,
        private readonly float $to = 1.0,
        public readonly bool $trial = false,
        private readonly ?\Closure $grown = null,
    ) {
        $this->scratch = $temporary instanceof Scratch ? $temporary : new Scratch($temporary ?? sys_get_temp_dir());
    }

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

        return new self(
            $this->workers,
            $this->scratch,
            $this->progress,
            $this->stopped,
            $this->from + $span * $from,
            $this->from + $span * $to,
            $this->trial,
            $this->grown,
        );
    }

    /**
     * The same work reported elsewhere, and stopped by whoever listens there.
     *
     * @param  \Closure(float, string): void  $progress
     * @param  \Closure(string, list<float|int>): void  $grown
     */
    public function reporting(\Closure $progress, \Closure $grown): self
    {
        // what workers took before is not of this work
        $scratch = clone $this->scratch;
        $scratch->workers = 0;

        return new self($this->workers, $scratch, $progress, null, $this->from, $this->to, $this->trial, $grown);
    }

    /**
     * A figure that is a curve grows while the work goes on.
     *
     * @param  list<float|int>  $point  where it is along, then how high each line is
     */
    public function grow(string $figure, array $point): void
    {
        if ($this->grown !== null) {
            ($this->grown)($figure, $point);
        }
    }

    /** Passes on a share of the whole, as one who reports with the same bounds told it. */
    public function pass(float $share, string $doing): void
    {
        if ($this->progress !== null) {
            ($this->progress)($share, $doing);
        }
        $this->check();
    }

    /** Bytes that all workers of a pass took together at most. */
    public function workersMemory(): int
    {
        return $this->scratch->workers;
    }

    /** @param  int  $bytes  that all workers of a pass took together */
    public function tookMemory(int $bytes): void
    {
        $this->scratch->workers = max($this->scratch->workers, $bytes);
    }

    /** Megabytes that this process and its workers held at most, pages they share counted for each. */
    public function memory(): int
    {
        return (self::peak() + $this->scratch->workers) >> 20;
    }

    /** Bytes of this process at its peak: as the kernel saw it, or, where it keeps no peak, what it has now and PHP's own heap had at most. */
    public static function peak(): int
    {
        $status = (string) @file_get_contents('/proc/self/status');
        $of = fn (string $name): int => preg_match("/$name:\s+(\d+)/", $status, $match) ? (int) $match[1] << 10 : 0;

        return max($of('VmHWM'), max(0, $of('VmRSS') - memory_get_usage(true)) + memory_get_peak_usage(true));
    }

    /** A folder for temporary files, shared by all parts of the work. */
    public function folder(): string
    {
        return $this->scratch->folder();
    }

    /** A folder for what is kept from one run to the next, such as a file fetched in part. */
    public function kept(): string
    {
        return $this->scratch->base.'/chorometra-kept';
    }

    public function clean(): void
    {
        $this->scratch->clean();
    }
}
