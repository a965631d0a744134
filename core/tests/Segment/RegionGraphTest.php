<?php

namespace Chorometra\Core\Tests\Segment;

use Chorometra\Core\Regions\Numbers\Neighbours;
use Chorometra\Core\Segment\Merging\MergeKernel;
use Chorometra\Core\Segment\Merging\RegionGraph;
use Chorometra\Core\Segment\Merging\RegionRecords;
use Chorometra\Core\Tests\TestCase;

/** Joining regions against a slow, plain implementation, and the cost against a worked example (fixtures/s_heterogeneity.json). */
final class RegionGraphTest extends TestCase
{
    private const QUANTUM = 2.0 ** -24;

    /**
     * @param  list<list<float>>  $bands
     * @return array{RegionGraph, list<int>} the graph of all pixels
     */
    private static function graph(array $bands, int $width, int $height, float $compact, float $smooth): RegionGraph
    {
        $pixels = array_keys(array_filter($bands[0], fn (float $value): bool => ! is_nan($value)));
        $numbers = array_fill(0, $width * $height, 0);
        foreach ($pixels as $k => $pixel) {
            $numbers[$pixel] = $k + 1;
        }
        $records = RegionRecords::of($bands, $numbers, count($pixels), $width, $height, 0, 0, $compact, $smooth);
        $ends = [];
        $sides = Neighbours::sides($numbers, $width, $height, $height);
        foreach (array_keys($sides) as $key) {
            array_push($ends, ($key >> 32) - 1, ($key & 0xFFFFFFFF) - 1);
        }

        return new RegionGraph($records, $pixels, $ends, array_fill(0, count($sides), 1), count($bands), $compact, $smooth, self::QUANTUM);
    }

    public function test_the_cost_of_a_join_is_that_of_the_formula(): void
    {
        $data = self::fixture('s_heterogeneity.json');
        // a block of four, a pair on its right, form a tenth of the cost, half of it compactness
        $values = array_map(fn (float $value): float => 0.9 * $value, [10.0, 12.0, 20.0, 11.0, 13.0, 22.0]);
        $region = function (array $values, int $column, int $width): array {
            $mean = array_sum($values) / count($values);
            $squares = array_sum(array_map(fn (float $value): float => ($value - $mean) ** 2, $values));
            $own = sqrt(count($values) * $squares) + 0.05 * 2 * ($width + 2) * sqrt(count($values)) + 0.05 * count($values);

            return [(float) count($values), 2.0 * ($width + 2), (float) $column, (float) ($column + $width - 1), 0.0, 1.0, $own, $mean, $squares];
        };
        $records = [...$region([$values[0], $values[1], $values[3], $values[4]], 0, 2), ...$region([$values[2], $values[5]], 2, 1)];
        $state = ['r' => $records, 'ends' => [0, 1], 'len' => [2], 'cost' => [0.0]];
        MergeKernel::costs(1, 0.05, 0.05, 2.0 ** -40)($state, [0]);
        self::assertEqualsWithDelta($data['fusion_wshape_0.1'], $state['cost'][0], 1e-9);
    }

    public function test_regions_are_those_of_a_slow_plain_implementation(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(5));
        $cases = [[12, 9, 1, 0.0, 0.0], [15, 11, 2, 0.05, 0.05], [9, 14, 3, 0.3, 0.0], [16, 10, 1, 0.0, 0.2]];
        foreach ($cases as $case => [$width, $height, $number, $compact, $smooth]) {
            $bands = [];
            for ($b = 0; $b < $number; $b++) {
                // of few values, so that many pairs cost the same; some pixels are none
                $bands[] = array_map(
                    fn (int $i): float => $random->getInt(0, 3) + (intdiv($i % $width, 5) + intdiv(intdiv($i, $width), 4)) * 2.0,
                    range(0, $width * $height - 1),
                );
            }
            for ($i = 0; $i < 9; $i++) {
                $hole = $random->getInt(0, $width * $height - 1);
                foreach (array_keys($bands) as $b) {
                    $bands[$b][$hole] = NAN;
                }
            }
            $graph = self::graph($bands, $width, $height, $compact, $smooth);
            $slow = new SlowMerging($bands, $width, $height, $compact, $smooth, self::QUANTUM);
            foreach ([1.2, 2.4, 4.0] as $limit) {
                $graph->climb($limit);
                $slow->climb($limit);
                self::assertSame($slow->labels(), self::labels($graph, $bands[0]), "case $case at $limit");
                self::assertSame(count(array_unique(array_filter($slow->labels()))), $graph->count());
                self::assertGreaterThanOrEqual($limit * $limit, $slow->least(), 'no two neighbours could still join');
            }
            $graph->absorb(8);
            $slow->absorb(8);
            self::assertSame($slow->labels(), self::labels($graph, $bands[0]), "case $case, small ones");
        }
    }

    public function test_flat_regions_come_back_as_they_are(): void
    {
        // three regions that differ by 5, 7 and 2: joined below the root of 2, and not above
        [$width, $height] = [40, 30];
        $values = array_map(fn (int $i): float => $i % $width < 17 ? 10.0 : (intdiv($i, $width) < 12 ? 15.0 : 17.0), range(0, $width * $height - 1));
        $graph = self::graph([$values], $width, $height, 0.0, 0.0);
        $graph->climb(1.4);
        self::assertSame(3, $graph->count());
        $labels = self::labels($graph, $values);
        foreach ($values as $i => $value) {
            self::assertSame([10.0 => 1, 15.0 => 2, 17.0 => 3][(int) $value], $labels[$i]);
        }
    }

    /**
     * Numbers in the order of the image.
     *
     * @param  list<float>  $values
     * @return list<int>
     */
    private static function labels(RegionGraph $graph, array $values): array
    {
        [$first, $second] = $graph->joins();
        $into = array_combine($second, $first);
        $numbers = $labels = [];
        foreach ($values as $i => $value) {
            if (is_nan($value)) {
                $labels[] = 0;

                continue;
            }
            for ($at = $i; isset($into[$at]); $at = $into[$at]);
            $labels[] = $numbers[$at] ??= count($numbers) + 1;
        }

        return $labels;
    }
}
