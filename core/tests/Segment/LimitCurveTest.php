<?php

namespace Chorometra\Core\Tests\Segment;

use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Segment\Merging\LimitCurve;
use Chorometra\Core\Tests\TestCase;

/** What segments are like along a tree, against values worked by hand and against the same from the pixels. */
final class LimitCurveTest extends TestCase
{
    /** @return list<array{int, int}> sides of a square of cells */
    private static function sides(int $side): array
    {
        $pairs = [];
        for ($i = 0; $i < $side * $side; $i++) {
            $pairs = [...$pairs, ...($i % $side + 1 < $side ? [[$i, $i + 1]] : []), ...($i + $side < $side * $side ? [[$i, $i + $side]] : [])];
        }

        return $pairs;
    }

    /** Cliff & Ord 1981, Spatial Processes: a chessboard of 4 x 4 under the rook's rule is -1; two halves by hand 2/3. */
    public function test_likeness_of_neighbours_is_morans_i(): void
    {
        $board = array_map(fn (int $i): float => (float) (($i % 4 + intdiv($i, 4)) % 2), range(0, 15));
        self::assertEqualsWithDelta(-1.0, LimitCurve::moran($board, 0.5, self::sides(4)), 1e-12);
        $halves = array_map(fn (int $i): float => $i % 4 < 2 ? 0.0 : 1.0, range(0, 15));
        // 24 sides, 20 of them within a half: 16 / 24 * (20 - 4) / 16
        self::assertEqualsWithDelta(2.0 / 3.0, LimitCurve::moran($halves, 0.5, self::sides(4)), 1e-12);
        self::assertSame(0.0, LimitCurve::moran([1.0, 1.0], 1.0, [[0, 1]]));
    }

    public function test_along_a_tree_it_is_what_the_pixels_of_each_segment_say(): void
    {
        // six leaves in a row, of one to three pixels
        $leaves = [[1.0], [2.0, 3.0], [7.0], [8.0, 8.0, 9.0], [20.0], [21.0, 23.0]];
        $moments = array_map(function (array $values): array {
            $mean = array_sum($values) / count($values);

            return [count($values), $mean, array_sum(array_map(fn (float $value): float => ($value - $mean) ** 2, $values))];
        }, $leaves);
        [$pixels, $means, $squares] = array_map(fn (int $k): array => array_column($moments, $k), [0, 1, 2]);
        $curve = new LimitCurve($pixels, [$means], [$squares], [[0, 1], [1, 2], [2, 3], [3, 4], [4, 5]], [1.0]);
        $tree = new MergeTree(6, [1, 3, 5, 7, 10], [2, 4, 6, 8, 9], [2.0, 3.0, 4.0, 6.0, 30.0], [0, 0, 0, 0, 0]);
        $rows = $curve->along($tree, 1.0, 64.0);
        self::assertSame([6, 1], [$rows[0]['segments'], $rows[count($rows) - 1]['segments']]);
        $all = array_merge(...$leaves);
        $mean = array_sum($all) / count($all);
        $variance = array_sum(array_map(fn (float $value): float => ($value - $mean) ** 2, $all)) / count($all);
        foreach ($rows as $row) {
            $groups = [];
            foreach ($tree->cut($row['limit']) as $leaf => $segment) {
                $groups[$segment] = [...($groups[$segment] ?? []), ...$leaves[$leaf]];
            }
            self::assertSame(count($groups), $row['segments']);
            $within = 0.0;
            $means = [];
            foreach (array_values($groups) as $values) {
                $means[] = $own = array_sum($values) / count($values);
                $within += array_sum(array_map(fn (float $value): float => ($value - $own) ** 2, $values));
            }
            self::assertEqualsWithDelta(sqrt($within / count($all) / $variance), $row['inner'], 1e-12);
            $next = count($means) > 1 ? array_map(fn (int $k): array => [$k, $k + 1], range(0, count($means) - 2)) : [];
            self::assertEqualsWithDelta(LimitCurve::moran($means, $mean, $next), $row['alike'], 1e-12);
            self::assertGreaterThanOrEqual(0.0, $row['score']);
            self::assertLessThanOrEqual(2.0, $row['score']);
        }
    }

    public function test_limits_are_proposed_where_both_are_low_within_the_range(): void
    {
        $rows = array_map(
            fn (float $score, int $k): array => ['limit' => 2.0 ** $k, 'segments' => 20 - $k, 'inner' => 0.1 * $k, 'alike' => 0.5, 'score' => $score],
            [1.9, 1.0, 1.2, 1.1, 0.7, 1.4, 0.9, 1.0, 1.8],
            range(0, 8),
        );
        self::assertSame([32.0, 4.0], LimitCurve::proposals($rows));
        self::assertSame([], LimitCurve::proposals(array_slice($rows, 0, 2)));
        // one segment alone is no proposal
        $rows[5]['segments'] = 1;
        self::assertSame([4.0], LimitCurve::proposals($rows));
    }
}
