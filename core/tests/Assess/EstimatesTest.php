<?php

namespace Chorometra\Core\Tests\Assess;

use Chorometra\Core\Assess\Check\Accuracy;
use Chorometra\Core\Assess\Check\Estimates;
use Chorometra\Core\Tests\TestCase;

/** Olofsson et al. 2014 and Congalton 1991 (recalled and recomputed: fixtures/o_accuracy_worked.json), and what repeated draws scatter by. */
final class EstimatesTest extends TestCase
{
    /**
     * A stratum for each class of the map.
     *
     * @param  list<list<int|float>>  $counts
     * @param  list<float>  $weights
     */
    private static function byClass(array $counts, array $weights): Estimates
    {
        $none = array_fill(0, count($counts), array_fill(0, count($counts), 0));

        return new Estimates(array_map(fn (int $h): array => array_replace($none, [$h => $counts[$h]]), array_keys($counts)), $weights, count($counts));
    }

    public function test_the_worked_example_of_olofsson(): void
    {
        $example = self::fixture('o_accuracy_worked.json')['olofsson'];
        $estimates = self::byClass($example['counts'], $example['W']);
        self::assertEqualsWithDelta($example['p'], $estimates->shares(), 1e-12);
        self::assertEqualsWithDelta(['value' => $example['overall'], 'half' => $example['overall_ci']], $estimates->overall(), 1e-10);
        foreach (array_keys($example['W']) as $k) {
            self::assertEqualsWithDelta(['value' => $example['users'][$k], 'half' => $example['users_ci'][$k]], $estimates->users($k), 1e-10);
            self::assertEqualsWithDelta(['value' => $example['producers'][$k], 'half' => $example['producers_ci'][$k]], $estimates->producers($k), 1e-10);
            self::assertEqualsWithDelta(
                ['value' => $example['area_proportion'][$k], 'half' => 1.96 * $example['se_proportion'][$k]],
                $estimates->area($k),
                1e-10,
            );
            $harmonic = 2 / (1 / $example['users'][$k] + 1 / $example['producers'][$k]);
            self::assertEqualsWithDelta($harmonic, $estimates->f1($k)['value'], 1e-10);
        }
        self::assertEqualsWithDelta(['quantity' => $example['quantity'], 'allocation' => $example['allocation']], $estimates->disagreement(), 1e-10);
        self::assertEqualsWithDelta($example['kappa_area_adjusted'], $estimates->kappa()['value'], 1e-10);
    }

    /** Stehman 2014, International Journal of Remote Sensing 35:4923–4939, Table 2 and section 4: strata that are not the map's classes (from memory). */
    public function test_the_worked_example_of_stehman(): void
    {
        $letters = ['A' => 0, 'B' => 1, 'C' => 2, 'D' => 3];
        $map = str_split('AAAAAAABBB'.'ABBBBBBBBB'.'BBCCCCCCBB'.'DDDDDDDDDD', 10);
        $reference = str_split('AAAAACBABC'.'ABBBBBAABB'.'CCCCCDDBBA'.'DDDDDDDCCB', 10);
        $strata = array_fill(0, 4, array_fill(0, 4, array_fill(0, 4, 0)));
        foreach ($map as $h => $codes) {
            foreach (str_split($codes) as $k => $code) {
                $strata[$h][$letters[$code]][$letters[$reference[$h][$k]]]++;
            }
        }
        $estimates = new Estimates($strata, [0.4, 0.3, 0.2, 0.1], 4);
        $printed = [
            'overall' => [0.63, 0.085, $estimates->overall()],
            'user\'s of B' => [0.574, 0.125, $estimates->users(1)],
            'producer\'s of B' => [0.794, 0.116, $estimates->producers(1)],
            'area of A' => [0.35, 0.082, $estimates->area(0)],
            'area of C' => [0.20, 0.064, $estimates->area(2)],
        ];
        foreach ($printed as $what => [$value, $error, $estimate]) {
            self::assertEqualsWithDelta($value, $estimate['value'], 0.0006, $what);
            self::assertEqualsWithDelta($error, $estimate['half'] / 1.96, 0.0011, $what);
        }
        self::assertEqualsWithDelta(0.08, $estimates->shares()[1][2] ?? 0.0, 1e-12);
    }

    public function test_points_to_come_that_halve_an_interval(): void
    {
        // of one stratum four times as many are needed
        self::assertSame([3 * 434], (new Estimates([self::fixture('o_accuracy_worked.json')['congalton1991']['matrix']], [1.0], 4))->moreForOverall());
        $example = self::fixture('o_accuracy_worked.json')['olofsson'];
        foreach ([null, 0, 2] as $class) {
            $before = self::byClass($example['counts'], $example['W']);
            $more = $class === null ? $before->moreForOverall() : $before->moreForArea($class);
            self::assertNotNull($more);
            // the same shares with those points in hand
            $then = self::byClass(array_map(
                fn (array $row, int $points): array => array_map(fn (int $count): float => $count * (1 + $points / array_sum($row)), $row),
                $example['counts'],
                $more,
            ), $example['W']);
            $half = fn (Estimates $estimates): float => (float) ($class === null ? $estimates->overall() : $estimates->area($class))['half'];
            self::assertEqualsWithDelta(0.5, $half($then) / $half($before), 0.004);
            // what each stratum then has is in one proportion to what it weighs and scatters, or it had more already
            $fourfold = fn (array $row): array => array_map(fn (int $count): float => 4 * $count, $row);
            $equal = self::byClass(array_map($fourfold, $example['counts']), $example['W']);
            self::assertEqualsWithDelta(0.5, $half($equal) / $half($before), 0.004);
            self::assertLessThan(3 * array_sum(array_map(array_sum(...), $example['counts'])), array_sum($more));
        }
        self::assertNull(self::byClass([[5, 0], [0, 8]], [0.2, 0.8])->moreForOverall(), 'where nothing scatters, no number can be told');
    }

    public function test_one_stratum_is_a_simple_random_sample(): void
    {
        foreach (['congalton1991', 'second_analyst'] as $name) {
            $example = self::fixture('o_accuracy_worked.json')[$name];
            $estimates = new Estimates([$example['matrix']], [1.0], 4);
            $n = $example['n'];
            self::assertEqualsWithDelta($example['overall'], $estimates->overall()['value'], 1e-10);
            self::assertEqualsWithDelta(1.96 * sqrt($example['overall'] * (1 - $example['overall']) / ($n - 1)), $estimates->overall()['half'], 1e-12);
            self::assertEqualsWithDelta($example['kappa'], $estimates->kappa()['value'], 1e-10);
            // there with n in the place of n − 1
            self::assertEqualsWithDelta(1.96 * sqrt($example['variance'] * $n / ($n - 1)), $estimates->kappa()['half'], 1e-10);
            self::assertEqualsWithDelta($example['users'], array_map(fn (int $k): ?float => $estimates->users($k)['value'], [0, 1, 2, 3]), 1e-10);
            self::assertEqualsWithDelta($example['producers'], array_map(fn (int $k): ?float => $estimates->producers($k)['value'], [0, 1, 2, 3]), 1e-10);
            self::assertEqualsWithDelta((new Accuracy($example['matrix']))->disagreement(), $estimates->disagreement(), 1e-12);
        }
    }

    /** Strata that are not the map's classes: what is said of the error holds over many draws from a known population. */
    public function test_intervals_are_as_wide_as_draws_scatter(): void
    {
        // by stratum: how often each cell of the matrix comes
        $population = [[[0.55, 0.05], [0.10, 0.30]], [[0.10, 0.02], [0.08, 0.80]]];
        $weights = [0.3, 0.7];
        $sizes = [120, 150];
        $told = ['overall', 'kappa', 'users', 'producers', 'f1', 'area'];
        $values = $errors = array_fill_keys($told, []);
        mt_srand(7);
        for ($draw = 0; $draw < 2000; $draw++) {
            $strata = [];
            foreach ($population as $h => $cells) {
                $strata[$h] = [[0, 0], [0, 0]];
                for ($k = 0; $k < $sizes[$h]; $k++) {
                    $at = mt_rand() / mt_getrandmax();
                    for ($cell = 0; $cell < 3 && $at >= $cells[$cell >> 1][$cell & 1]; $cell++) {
                        $at -= $cells[$cell >> 1][$cell & 1];
                    }
                    $strata[$h][$cell >> 1][$cell & 1]++;
                }
            }
            $estimates = new Estimates($strata, $weights, 2);
            foreach ($told as $name) {
                $estimate = in_array($name, ['overall', 'kappa'], true) ? $estimates->$name() : $estimates->$name(0);
                $values[$name][] = (float) $estimate['value'];
                $errors[$name][] = (float) $estimate['half'] / 1.96;
            }
        }
        $truth = ['overall' => 0.3 * 0.85 + 0.7 * 0.9, 'users' => 0.235 / (0.3 * 0.6 + 0.7 * 0.12), 'producers' => 0.235 / (0.3 * 0.65 + 0.7 * 0.18),
            'area' => 0.3 * 0.65 + 0.7 * 0.18];
        foreach ($told as $name) {
            $mean = array_sum($values[$name]) / 2000;
            $scatter = sqrt(array_sum(array_map(fn (float $one): float => ($one - $mean) ** 2, $values[$name])) / 1999);
            self::assertEqualsWithDelta(1.0, array_sum($errors[$name]) / 2000 / $scatter, 0.05, $name);
            self::assertEqualsWithDelta($truth[$name] ?? $mean, $mean, 0.005, $name);
        }
    }

    public function test_what_a_stratum_of_one_point_or_none_takes_away(): void
    {
        $one = self::byClass([[1, 0], [2, 8]], [0.2, 0.8]);
        self::assertEqualsWithDelta(['value' => 0.2 + 0.8 * 0.8, 'half' => null], $one->overall(), 1e-12);
        self::assertEqualsWithDelta(['value' => 1.0, 'half' => null], $one->users(0), 1e-12);
        self::assertEqualsWithDelta(['value' => 0.8, 'half' => 1.96 * sqrt(0.16 / 9)], $one->users(1), 1e-12, 'the other class is told all the same');
        self::assertNull($one->area(1)['half']);
        $none = self::byClass([[0, 0], [2, 8]], [0.2, 0.8]);
        self::assertNull($none->shares());
        self::assertSame(['value' => null, 'half' => null], $none->overall());
        self::assertNull($none->disagreement());
        // a stratum that covers nothing takes nothing away
        self::assertEqualsWithDelta(0.8, self::byClass([[0, 0], [2, 8]], [0.0, 1.0])->overall()['value'], 1e-12);
        // all of one class: chance agrees fully
        self::assertNull((new Estimates([[[5, 0], [0, 0]]], [1.0], 2))->kappa()['value']);
    }
}
