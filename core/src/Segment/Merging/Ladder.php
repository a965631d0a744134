<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Format\MergeTree;

/**
 * The limits that merging climbs, each twice the one before, to the limit asked for and beyond; and the tree of what joined after that.
 *
 * The first rung is a power of two, so that runs to any limit share their way: it follows from how much the bands vary, and lies above what neighbouring
 * pixels differ by where that is more, as in grain. Pieces come together below it, or below the limit asked for where that is less.
 */
final readonly class Ladder
{
    /** How far beyond the limit the tree goes. */
    private const BEYOND = 4.0;

    /** Share of what the bands vary, added up, that the square of the first rung comes to at most. */
    private const GRAIN = 1.6;

    /** How many times what neighbouring pixels differ by the square of the first rung comes to at least. */
    private const APART = 2.0;

    private function __construct(public float $limit, public float $first) {}

    /**
     * @param  float  $deviations  those of all bands as they are merged, added up
     * @param  float  $differences  of neighbouring pixels in the mean, likewise
     */
    public static function to(float $limit, float $deviations, float $differences = 0.0): self
    {
        $first = $deviations > 0.0 ? 2.0 ** floor(0.5 * log(self::GRAIN * $deviations, 2)) : $limit;

        return new self($limit, $differences > 0.0 ? max($first, 2.0 ** ceil(0.5 * log(self::APART * $differences, 2))) : $first);
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

    /** Pieces rung after rung to the limit. */
    public function climb(RegionGraph $graph): void
    {
        foreach ($this->up() as $rung) {
            $graph->climb($rung);
        }
    }

    /** Below which pieces come together; where the tree of a trial begins, whose limit is still to be chosen. */
    public function lowest(): float
    {
        return $this->up()[0];
    }

    /** @return list<float> every rung above a limit, that asked for among them */
    public function above(float $limit): array
    {
        return array_values(array_filter([...$this->up(), ...$this->beyond()], fn (float $rung): bool => $rung > $limit));
    }

    /**
     * On to the last rung: the tree over the regions that there are now, which came together below a limit.
     *
     * @param  array<int, int>  $leaves  numbers of the regions by their first pixel
     * @param  array<string, mixed>  $made
     * @param  \Closure(float): void|null  $reached  told of each rung once it is climbed
     */
    public function tree(RegionGraph $graph, float $below, array $leaves, array $made, ?\Closure $reached = null): MergeTree
    {
        $from = count($graph->joins()[0]);
        $all = $this->above($below);
        $rungs = [];
        foreach ($all as $k => $rung) {
            $before = count($graph->joins()[0]);
            $graph->climb($rung);
            $rungs = [...$rungs, ...array_fill(0, count($graph->joins()[0]) - $before, $k)];
            $reached === null || $reached($rung);
        }
        [$first, $second, $paid] = array_map(fn (array $joins): array => array_slice($joins, $from), $graph->joins());
        $node = $leaves;
        $number = count($leaves);
        $height = array_fill(0, $number + 1, 0.0);
        $ones = $others = $heights = [];
        foreach ($first as $k => $one) {
            [$a, $b] = [$node[$one], $node[$second[$k]]];
            // never below what is joined, and above the limit at which it was not yet
            $least = $rungs[$k] === 0 ? $below : $all[$rungs[$k] - 1];
            $own = max(sqrt(max(0.0, $paid[$k])), $height[$a], $height[$b], $least * (1.0 + PHP_FLOAT_EPSILON));
            $node[$one] = ++$number;
            $height[] = $own;
            [$ones[], $others[], $heights[]] = [$a, $b, $own];
        }

        return new MergeTree(count($leaves), $ones, $others, $heights, $rungs, $made);
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
