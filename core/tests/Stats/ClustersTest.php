<?php

namespace Chorometra\Core\Tests\Stats;

use Chorometra\Core\Stats\Clustering;
use Chorometra\Core\Tests\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

final class ClustersTest extends TestCase
{
    /** Lloyd's algorithm by numpy and scikit-learn, fixtures/a_kmeans.json. */
    public function test_k_means_from_given_centres_is_that_of_scikit_learn(): void
    {
        foreach (['landsat_centre_pixels', 'three_blobs'] as $name) {
            $told = self::fixture('a_kmeans.json')[$name];
            $columns = self::columns($told['pixels']);
            $centres = array_map(fn (array $centre): array => array_map(floatval(...), $centre), $told['initial_centres']);
            $found = Clustering::means($columns, count($told['pixels']), $centres, 100);
            self::assertSame($told['labels'], $found->labels, $name);
            self::assertSame($told['cluster_sizes'], $found->sizes);
            self::assertClose(array_merge(...$told['centres']), array_merge(...$found->centres), 1e-8, "centres of $name");
            self::assertEqualsWithDelta(1.0, $found->squares / $told['inertia'], 1e-9);
            // the turn that finds nothing to move is one more
            self::assertSame($told['updates_until_no_change'], $found->turns - 1, $name);
            $once = Clustering::means($columns, count($told['pixels']), $centres, 1);
            self::assertGreaterThan($found->squares, $once->squares);
        }
    }

    public function test_bounds_spare_work_and_change_nothing(): void
    {
        $random = new Randomizer(new Mt19937(3));
        foreach ([1, 2, 7] as $measures) {
            $columns = array_map(fn (): array => array_map(fn (): float => $random->getInt(0, 12) * 1.0, range(1, 400)), range(1, $measures));
            $centres = Clustering::seeds($columns, 400, 5, $measures);
            $found = Clustering::means($columns, 400, $centres, 6);
            [$labels, $plain] = self::plainly($columns, 400, $centres, 6);
            self::assertClose(array_merge(...$plain), array_merge(...$found->centres), 1e-9, "$measures measures");
            self::assertSame($labels, $found->labels, "$measures measures");
        }
    }

    public function test_seeds_follow_from_a_number_and_are_all_different(): void
    {
        $columns = [[0.0, 0.0, 1.0, 5.0, 5.0, 9.0]];
        self::assertSame(Clustering::seeds($columns, 6, 4, 7), Clustering::seeds($columns, 6, 4, 7));
        $found = array_merge(...Clustering::seeds($columns, 6, 9, 1));
        sort($found);
        self::assertSame([0.0, 1.0, 5.0, 9.0], $found, 'no more than there are different cases');
    }

    public function test_a_cluster_without_cases_begins_anew_where_it_is_farthest(): void
    {
        $found = Clustering::means([[0.0, 1.0, 2.0, 50.0]], 4, [[1.0], [-900.0]], 20);
        self::assertSame([3, 1], $found->sizes);
        self::assertSame([[1.0], [50.0]], $found->centres);
    }

    public function test_isodata_splits_what_is_wide_joins_what_is_near_and_gives_up_what_is_small(): void
    {
        $random = new Randomizer(new Mt19937(11));
        $around = fn (float $x, float $y, int $count): array => array_map(
            fn (): array => [$x + 0.01 * $random->getInt(-100, 100), $y + 0.01 * $random->getInt(-100, 100)],
            range(1, $count),
        );
        $cases = [...$around(0, 0, 200), ...$around(10, 0, 200), ...$around(0, 10, 200), ...$around(10, 10, 200), [30.0, 30.0]];
        $columns = self::columns($cases);
        // two centres only, one of them for the stray case alone: four groups are found, and the stray case has none of its own
        $found = Clustering::isodata($columns, 801, [[5.0, 5.0], [30.0, 30.0]], 4, 20, 0.5, 0.3, 30);
        self::assertCount(4, $found->centres);
        self::assertSame(801, array_sum($found->sizes));
        self::assertGreaterThanOrEqual(200, min($found->sizes));
        // eight to begin with, two for each group: near ones are joined
        $twice = [];
        foreach ([[0.0, 0.0], [10.0, 0.0], [0.0, 10.0], [10.0, 10.0]] as [$x, $y]) {
            array_push($twice, [$x - 0.3, $y], [$x + 0.3, $y]);
        }
        $joined = Clustering::isodata($columns, 801, $twice, 4, 20, 0.5, 0.3, 40);
        self::assertCount(4, $joined->centres);
        // wanted are not more than there are: where nothing is wide nothing is split
        self::assertCount(1, Clustering::isodata([[1.0, 1.0, 1.0]], 3, [[1.0]], 5, 1, 0.5, 0.3, 10)->centres);
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<list<float>>  $centres
     * @return array{list<int>, list<list<float>>}
     */
    private static function plainly(array $columns, int $count, array $centres, int $turns): array
    {
        $nearest = function (int $case) use ($columns, &$centres): int {
            $distances = array_map(fn (array $centre): float => array_sum(array_map(
                fn (array $column, float $value): float => ($column[$case] - $value) ** 2, $columns, $centre,
            )), $centres);

            return (int) array_search(min($distances), $distances, true);
        };
        for ($turn = 0; $turn < $turns; $turn++) {
            $labels = array_map($nearest, range(0, $count - 1));
            foreach (array_keys($centres) as $cluster) {
                $own = array_keys($labels, $cluster, true);
                $centres[$cluster] = array_map(
                    fn (array $column): float => array_sum(array_map(fn (int $case): float => $column[$case], $own)) / count($own),
                    $columns,
                );
            }
        }

        return [array_map($nearest, range(0, $count - 1)), $centres];
    }

    /**
     * @param  list<list<float|int>>  $rows
     * @return list<list<float>>
     */
    private static function columns(array $rows): array
    {
        return array_map(fn (int $m): array => array_map(floatval(...), array_column($rows, $m)), array_keys($rows[0]));
    }
}
