<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Format\MergeTree;

/**
 * What segments are like at one limit after another of a tree: how many there are, how much varies within them, and how alike neighbours are.
 *
 * Within: the mean variance of segments, weighted by their pixels. Between: Moran's I of their means, neighbours counting 1, about the mean of all
 * pixels. A limit is good where both are low. Source: Espindola, Câmara, Reis, Bins & Monteiro 2006, International Journal of Remote Sensing
 * 27:3035–3040 (from memory); over several bands their means count by weight (common practice, no source).
 */
final class LimitCurve
{
    /** Limits that are looked at, one as far from the next by factor. */
    private const STEPS = 18;

    /**
     * @param  list<int>  $pixels  of each leaf
     * @param  list<list<float>>  $means  of each leaf, by band
     * @param  list<list<float>>  $squares  squared deviations from the mean, added up, likewise
     * @param  list<array{int, int}>  $neighbours  pairs of leaves, from 0
     * @param  list<float>  $weights  by band
     */
    public function __construct(
        private array $pixels,
        private array $means,
        private array $squares,
        private array $neighbours,
        private readonly array $weights,
    ) {}

    /**
     * Of the regions that a graph has now.
     *
     * @param  array<int, int>  $leaves  numbers from 1 by first pixel
     * @param  list<float>  $weights  by band
     */
    public static function of(RegionGraph $graph, array $leaves, array $weights): self
    {
        $pixels = [];
        $means = $squares = array_fill(0, count($weights), []);
        foreach ($graph->regions() as $id => $record) {
            $leaf = $leaves[$id] - 1;
            $pixels[$leaf] = (int) $record[MergeKernel::PIXELS];
            foreach ($weights as $k => $_) {
                $means[$k][$leaf] = $record[MergeKernel::BANDS + 2 * $k];
                $squares[$k][$leaf] = $record[MergeKernel::BANDS + 2 * $k + 1];
            }
        }
        ksort($pixels);
        array_walk($means, ksort(...));
        array_walk($squares, ksort(...));
        $neighbours = [];
        foreach ($graph->neighbours() as [$one, $other]) {
            $neighbours[] = [$leaves[$one] - 1, $leaves[$other] - 1];
        }

        return new self(array_values($pixels), array_map(array_values(...), $means), array_map(array_values(...), $squares), $neighbours, $weights);
    }

    /**
     * @param  float  $from  a limit, below which all are leaves
     * @return list<array{limit: float, segments: int, inner: float, alike: float, score: float}> rising by limit: `inner` is the deviation within
     *   segments as a share of that of all pixels, `alike` Moran's I, `score` the sum of both as they lie between their extremes, 2 at best
     */
    public function along(MergeTree $tree, float $from, float $to): array
    {
        $all = $this->spread();
        $rows = [];
        $before = range(0, count($this->pixels) - 1);
        for ($step = 0; $step <= self::STEPS; $step++) {
            $limit = $from * ($to / $from) ** ($step / self::STEPS);
            $now = array_map(fn (int $piece): int => $piece - 1, $tree->cut($limit));
            // what was joined at the limit before goes on as one
            $this->join($before, $now);
            $before = $now;
            [$inner, $alike] = $this->measure($all);
            $rows[] = ['limit' => $limit, 'segments' => count($this->pixels), 'inner' => $inner, 'alike' => $alike, 'score' => 0.0];
        }

        return self::scored($rows);
    }

    /**
     * Limits that are better than both beside them, the best first. The ends of the range say more of it than of the segments, and are none.
     *
     * @param  list<array{limit: float, segments: int, inner: float, alike: float, score: float}>  $rows
     * @return list<float> two at most
     */
    public static function proposals(array $rows): array
    {
        $scores = array_column($rows, 'score');
        $peaks = array_filter(
            array_keys($rows),
            fn (int $k): bool => $rows[$k]['segments'] > 1 && $scores[$k] > ($scores[$k - 1] ?? INF) && $scores[$k] >= ($scores[$k + 1] ?? INF),
        );
        usort($peaks, fn (int $one, int $other): int => $scores[$other] <=> $scores[$one]);

        return array_map(fn (int $k): float => (float) sprintf('%.3g', $rows[$k]['limit']), array_slice($peaks, 0, 2));
    }

    /**
     * @param  list<int>  $before  for each leaf its segment so far
     * @param  list<int>  $now
     */
    private function join(array $before, array $now): void
    {
        $to = [];
        foreach ($before as $leaf => $segment) {
            $to[$segment] = $now[$leaf];
        }
        $pixels = [];
        $means = $squares = array_fill(0, count($this->weights), []);
        foreach ($this->pixels as $segment => $n) {
            $into = $to[$segment];
            $had = $pixels[$into] ?? 0;
            foreach ($this->weights as $k => $_) {
                $d = $this->means[$k][$segment] - ($means[$k][$into] ?? 0.0);
                $squares[$k][$into] = ($squares[$k][$into] ?? 0.0) + $this->squares[$k][$segment] + $d * $d * $had * $n / ($had + $n);
                $means[$k][$into] = ($means[$k][$into] ?? 0.0) + $d * $n / ($had + $n);
            }
            $pixels[$into] = $had + $n;
        }
        $pairs = [];
        foreach ($this->neighbours as [$one, $other]) {
            [$one, $other] = [min($to[$one], $to[$other]), max($to[$one], $to[$other])];
            if ($one !== $other) {
                $pairs[$one << 32 | $other] = [$one, $other];
            }
        }
        $this->neighbours = array_values($pairs);
        // segments are numbered by their first leaf, so all lists are in order
        [$this->pixels, $this->means, $this->squares] = [
            array_values($pixels),
            array_map(array_values(...), $means),
            array_map(array_values(...), $squares),
        ];
    }

    /** @return list<array{float, float}> by band the mean of all pixels and their variance */
    private function spread(): array
    {
        $count = array_sum($this->pixels);

        return array_map(function (array $means, array $squares) use ($count): array {
            $mean = array_sum(array_map(fn (float $one, int $n): float => $one * $n, $means, $this->pixels)) / $count;
            $among = array_sum(array_map(fn (float $one, int $n): float => $n * ($one - $mean) ** 2, $means, $this->pixels));

            return [$mean, ($among + array_sum($squares)) / $count];
        }, $this->means, $this->squares);
    }

    /**
     * @param  list<array{float, float}>  $all
     * @return array{float, float}
     */
    private function measure(array $all): array
    {
        $count = array_sum($this->pixels);
        $inner = $alike = $weight = 0.0;
        foreach ($this->weights as $k => $own) {
            [$mean, $variance] = $all[$k];
            if ($own <= 0.0 || $variance <= 0.0) {
                continue;
            }
            $weight += $own;
            $inner += $own * sqrt(array_sum($this->squares[$k]) / $count / $variance);
            $alike += $own * self::moran($this->means[$k], $mean, $this->neighbours);
        }

        return $weight > 0.0 ? [$inner / $weight, $alike / $weight] : [0.0, 0.0];
    }

    /**
     * Moran's I, neighbours counting 1; 0 where there is none or all are alike.
     *
     * @param  list<float>  $values
     * @param  list<array{int, int}>  $neighbours  each pair once
     */
    public static function moran(array $values, float $mean, array $neighbours): float
    {
        $with = $by = 0.0;
        foreach ($neighbours as [$one, $other]) {
            $with += ($values[$one] - $mean) * ($values[$other] - $mean);
        }
        foreach ($values as $value) {
            $by += ($value - $mean) ** 2;
        }

        return $by > 0.0 && $neighbours !== [] ? count($values) * $with / ($by * count($neighbours)) : 0.0;
    }

    /**
     * @param  list<array{limit: float, segments: int, inner: float, alike: float, score: float}>  $rows
     * @return list<array{limit: float, segments: int, inner: float, alike: float, score: float}>
     */
    private static function scored(array $rows): array
    {
        // the paper's variance, of which the deviation is the root
        $within = array_map(fn (array $row): float => $row['inner'] ** 2, $rows);
        $between = array_column($rows, 'alike');
        $place = function (float $value, array $of): float {
            [$least, $most] = [min([INF, ...$of]), max([-INF, ...$of])];

            return $most > $least ? ($most - $value) / ($most - $least) : 0.0;
        };

        return array_map(
            fn (array $row, float $inner): array => ['score' => $place($inner, $within) + $place($row['alike'], $between)] + $row,
            $rows,
            $within,
        );
    }
}
