<?php

namespace Chorometra\Core\Tests\Stats;

use Chorometra\Core\Stats\NearestNeighbours;
use Chorometra\Core\Stats\RandomForest;
use Chorometra\Core\Stats\Roc;
use Chorometra\Core\Stats\Standardisation;
use Chorometra\Core\Tests\TestCase;

/** Against scikit-learn on the Statlog Landsat data (fixtures/learners.py). */
final class LearnersTest extends TestCase
{
    public function test_standardisation_is_that_of_scikit_learn(): void
    {
        [$data, $train] = self::data();
        $told = Standardisation::of($train);
        foreach ($data['means'] as $measure => $mean) {
            self::assertEqualsWithDelta($mean, $told->means[$measure], 1e-10);
            self::assertEqualsWithDelta($data['deviations'][$measure], $told->deviations[$measure], 1e-10);
        }
        self::assertSame([0.0, 0.0], Standardisation::of([[7.0, 7.0]])->apply(0, [7.0, 7.0]), 'what is the same everywhere tells nothing');
    }

    public function test_shares_of_the_nearest_neighbours_are_those_of_scikit_learn(): void
    {
        [$data, $train, $test] = self::data();
        $told = Standardisation::of($train);
        $columns = fn (array $all): array => array_map(fn (int $measure): array => $told->apply($measure, $all[$measure]), array_keys($all));
        $shares = (new NearestNeighbours($columns($train), $data['trainClass'], 6, 5))->shares($columns($test), 500);
        $seen = 0;
        foreach ($data['neighbourShares'] as $case => $expected) {
            // where the fifth and the sixth are equally far, which one counts is nobody's to say
            if ($data['clear'][$case] === 1) {
                $seen++;
                foreach ($expected as $class => $share) {
                    self::assertEqualsWithDelta($share, $shares[$class][$case], 1e-6, "case $case");
                }
            }
        }
        self::assertGreaterThan(480, $seen);
    }

    public function test_a_tree_on_one_measure_is_that_of_scikit_learn(): void
    {
        [$data, $train, $test] = self::data();
        $shares = RandomForest::grown([$train[0]], $data['trainClass'], 6, 1, 1, draws: false)->shares([$test[0]], 500);
        foreach ($data['oneMeasureShares'] as $case => $expected) {
            foreach ($expected as $class => $share) {
                self::assertEqualsWithDelta($share, $shares[$class][$case], 1e-5, "case $case");
            }
        }
    }

    public function test_a_tree_on_all_measures_and_a_forest_are_as_good_as_those_of_scikit_learn(): void
    {
        [$data, $train, $test] = self::data();
        $tree = RandomForest::grown($train, $data['trainClass'], 6, 1, 1, tried: 6, draws: false);
        $own = $tree->shares($train, 634);
        // grown to the end, a tree knows its own examples where no two alike are of two classes
        self::assertGreaterThan(0.99, self::accuracy($own, $data['trainClass']));
        self::assertEqualsWithDelta(array_sum($data['treeAccuracies']) / 10, self::accuracy($tree->shares($test, 500), $data['testClass']), 0.02);

        $forest = RandomForest::grown($train, $data['trainClass'], 6, 100, 7);
        $shares = $forest->shares($test, 500);
        self::assertEqualsWithDelta(array_sum($data['forestAccuracies']) / 10, self::accuracy($shares, $data['testClass']), 0.015);
        $apart = $count = 0;
        foreach ($data['forestShares'] as $case => $expected) {
            foreach ($expected as $class => $share) {
                $apart += abs($share - $shares[$class][$case]);
                $count++;
            }
        }
        // a forest of a hundred differs from the mean of ten by chance alone: 0.0105 for those of scikit-learn
        self::assertLessThan(0.02, $apart / $count);
        self::assertSame($shares, RandomForest::grown($train, $data['trainClass'], 6, 100, 7)->shares($test, 500), 'a seed gives one forest');
        self::assertNotSame($shares, RandomForest::grown($train, $data['trainClass'], 6, 100, 8)->shares($test, 500));
    }

    public function test_what_lacks_a_value_gets_no_answer_and_what_is_alike_no_split(): void
    {
        foreach ([
            new NearestNeighbours([[0.0, 1.0], [0.0, 1.0]], [0, 1], 2, 5),
            RandomForest::grown([[0.0, 1.0], [0.0, 1.0]], [0, 1], 2, 25, 1),
        ] as $learner) {
            $shares = $learner->shares([[0.0, NAN, 1.0], [0.0, 1.0, INF]], 3);
            self::assertNan($shares[0][1]);
            self::assertNan($shares[1][2]);
            self::assertEqualsWithDelta(1.0, $shares[0][0] + $shares[1][0], 1e-12);
        }
        self::assertEqualsWithDelta(
            [[0.5], [0.5]],
            RandomForest::grown([[3.0, 3.0]], [0, 1], 2, 1, 1, draws: false)->shares([[3.0]], 1),
            1e-12,
        );
    }

    public function test_the_area_under_the_curve_is_that_of_scikit_learn_and_the_limit_parts_what_can_be_parted(): void
    {
        [$data, $train] = self::data();
        foreach ($train as $measure => $values) {
            $groups = [[], []];
            foreach ($data['trainClass'] as $case => $class) {
                $groups[$class === 0 ? 0 : 1][] = $values[$case];
            }
            self::assertEqualsWithDelta($data['auc'][$measure], (float) Roc::area(...$groups), 1e-12);
        }
        self::assertSame([1.0, 0.0, 0.5, null], [
            Roc::area([3.0, 4.0, NAN], [1.0, 2.0]), Roc::area([1.0], [2.0, 3.0]), Roc::area([5.0], [5.0]), Roc::area([NAN], [1.0]),
        ]);
        self::assertSame([2.5, 1.5, null], [Roc::limit([3.0, 4.0], [1.0, 2.0]), Roc::limit([1.0], [2.0, 3.0]), Roc::limit([5.0], [5.0])]);
        // two of five lie on the wrong side wherever it is cut; least at 3.5
        self::assertSame(3.5, Roc::limit([4.0, 5.0, 6.0, 2.0], [1.0, 3.0, 3.0, 5.0]));
    }

    /**
     * @param  list<list<float>>  $shares
     * @param  list<int>  $classes
     */
    private static function accuracy(array $shares, array $classes): float
    {
        $right = 0;
        foreach ($classes as $case => $class) {
            $of = array_column($shares, $case);
            $right += array_search(max($of), $of, true) === $class ? 1 : 0;
        }

        return $right / count($classes);
    }

    /** @return array{array<string, mixed>, list<list<float>>, list<list<float>>} the fixture, and the columns of its training and test rows */
    private static function data(): array
    {
        $data = self::fixture('learners.json');
        $columns = fn (array $rows): array => array_map(fn (int $measure): array => array_map(floatval(...), array_column($rows, $measure)), range(0, 5));

        return [$data, $columns($data['train']), $columns($data['test'])];
    }
}
