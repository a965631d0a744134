<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Format\MergeTree;

/**
 * The limits that merging climbs, each twice the one before, to the limit asked for and beyond; and the tree of what joined after that.
 *
 * The first rung follows from how much the bands vary, rounded down to a power of two, so that runs to any limit share their way. Before it, pieces of
 * at most sixteen pixels come together in six passes below the first rung, or below the limit asked for where that is less.
 */
final readonly class Ladder
{
    /** Pixels of a piece, and passes, before the first rung. */
    private const PIECE = 16;

    private const PASSES = 6;

    /** How far beyond the limit the tree goes. */
    private const BEYOND = 4.0;

    /** Share of what the bands vary, added up, that the square of the first rung comes to at most. */
    private const GRAIN = 1.6;

    private function __construct(public float $limit, public float $first) {}

    /** @param  float  $deviations  those of all bands as they are merged, added up */
    public static function to(float $limit, float $deviations): self
    {
        return new self($limit, $deviations > 0.0 ? 2.0 ** floor(0.5 * log(self::GRAIN * $deviations, 2)) : $limit);
    }

    /** What costs differ by at least. */
    public function quantum(): float
    {
        return 2.0 ** floor(2.0 * log(min($this->first, $this->limit), 2)) * 2.0 ** -24;
    }

    /** @return list<float> rising, the limit asked for last */
    public function up(): array
    {
        return [...$this->between($this->first, $this->limit), $this->limit];
    }

    /** @return list<float> from above the limit asked for to the last */
    public function beyond(): array
    {
        $last = self::BEYOND * $this->limit;

        return [...array_values(array_filter($this->between($this->first, $last), fn (float $rung): bool => $rung > $this->limit)), $last];
    }

    /** Pixels to pieces of a few. */
    public function start(RegionGraph $graph): void
    {
        $graph->climb(min($this->first, $this->limit), self::PIECE, self::PASSES);
    }

    /** Pieces rung after rung to the limit. */
    public function climb(RegionGraph $graph): void
    {
        foreach ($this->up() as $rung) {
            $graph->climb($rung);
        }
    }

    /**
     * On to the last rung: the tree over the regions that there are now.
     *
     * @param  array<int, int>  $leaves  numbers of the regions by their first pixel
     * @param  array<string, mixed>  $made
     */
    public function tree(RegionGraph $graph, array $leaves, array $made): MergeTree
    {
        $from = count($graph->joins()[0]);
        $rungs = [];
        foreach ($this->beyond() as $rung) {
            $before = count($graph->joins()[0]);
            $graph->climb($rung);
            $rungs = [...$rungs, ...array_fill(0, count($graph->joins()[0]) - $before, $rung)];
        }
        [$first, $second, $paid] = array_map(fn (array $all): array => array_slice($all, $from), $graph->joins());
        $node = $leaves;
        $number = count($leaves);
        $height = array_fill(0, $number + 1, 0.0);
        $steps = array_flip(array_map(strval(...), $this->beyond()));
        $below = $this->limit;
        $ones = $others = $heights = $on = [];
        foreach ($first as $k => $one) {
            [$a, $b] = [$node[$one], $node[$second[$k]]];
            // never below what is joined, and above the limit at which it was not yet
            $least = $rungs[$k] === ($rungs[$k - 1] ?? null) || $k === 0 ? $below : $below = $rungs[$k - 1];
            $own = max(sqrt(max(0.0, $paid[$k])), $height[$a], $height[$b], $least * (1.0 + PHP_FLOAT_EPSILON));
            $node[$one] = ++$number;
            $height[] = $own;
            [$ones[], $others[], $heights[], $on[]] = [$a, $b, $own, $steps[(string) $rungs[$k]]];
        }

        return new MergeTree(count($leaves), $ones, $others, $heights, $on, $made);
    }

    /** @return list<float> rungs from one to below another */
    private function between(float $from, float $to): array
    {
        $rungs = [];
        for ($rung = $from; $rung < $to; $rung *= 2.0) {
            $rungs[] = $rung;
        }

        return $rungs;
    }
}
