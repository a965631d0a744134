<?php

namespace Chorometra\Core\Tests\Stats;

use Chorometra\Core\Compare\Change\Proposal;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Stats\MinimumError;
use Chorometra\Core\Stats\Mixture;
use Chorometra\Core\Tests\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Limits between normal distributions, against what their parameters say: the two roots of Bayes' rule are those of a quadratic equation. */
final class MixtureTest extends TestCase
{
    private const TWO = [[0.7, 0.0, 1.0], [0.3, 5.0, 1.5]];

    public function test_a_mixture_is_found_again_and_its_limit_is_that_of_bayes_rule(): void
    {
        $counts = self::counts(self::TWO, -6.0, 14.0, 2000, 10_000_000);
        $found = Mixture::of($counts, -6.0, 14.0, [4.0]);
        foreach (self::TWO as $k => [$share, $mean, $deviation]) {
            self::assertEqualsWithDelta($share, $found?->classes[$k]['share'], 0.002);
            self::assertEqualsWithDelta($mean, $found?->classes[$k]['mean'], 0.005);
            self::assertEqualsWithDelta($deviation, $found?->classes[$k]['deviation'], 0.005);
        }
        self::assertEqualsWithDelta(self::crossing(...self::TWO), $found?->limit(0, 14.0), 0.01);
        self::assertNull($found?->limit(0, 1.0));
    }

    public function test_minimum_error_lies_at_bayes_limit_where_classes_hardly_overlap(): void
    {
        $apart = [[0.9, 0.0, 1.0], [0.1, 9.0, 2.0]];
        $counts = self::counts($apart, -6.0, 18.0, 256, 10_000_000);
        self::assertEqualsWithDelta(self::crossing(...$apart), MinimumError::limit($counts, -6.0, 18.0), 0.3);
    }

    public function test_change_on_both_sides_lies_as_far_from_the_median_on_either(): void
    {
        // no change about 0.5 in two ground covers, of which one is much narrower; change on both sides
        $all = [[0.05, -9.0, 1.0], [0.6, 0.5, 1.0], [0.3, 0.5, 0.2], [0.05, 10.0, 1.0]];
        $histogram = self::histogram(self::counts($all, -14.0, 16.0, 1024, 1_000_000), -14.0, 16.0);
        [$mixture, $error] = Proposal::of($histogram, true);
        self::assertSame(['mixture', 'minimum-error'], [$mixture['by'], $error['by']]);
        foreach ([$mixture, $error] as $one) {
            self::assertEqualsWithDelta(0.5, $one['centre'], 0.01);
            self::assertEqualsWithDelta(1.0, $one['below'] + $one['above'], 0.02);
            // between three deviations of no change and where change begins
            self::assertGreaterThan(3.5, $one['above']);
            self::assertLessThan(7.0, $one['above']);
            self::assertEqualsWithDelta(0.1, $one['share'], 0.002);
        }
        self::assertEqualsWithDelta(9.5, $mixture['classes'][1]['mean'], 0.05);
        self::assertEqualsWithDelta(1.0, $mixture['classes'][1]['deviation'], 0.05);
    }

    public function test_change_above_only_is_what_lies_beyond_the_lowest_class(): void
    {
        // more than half has changed: no change is still the lower
        $histogram = self::histogram(self::counts([[0.4, 1.0, 0.3], [0.6, 6.0, 1.5]], 0.0, 12.0, 512, 1_000_000), 0.0, 12.0);
        [$mixture] = Proposal::of($histogram, false);
        self::assertNull($mixture['below']);
        self::assertEqualsWithDelta(self::crossing([0.4, 1.0, 0.3], [0.6, 6.0, 1.5]), $mixture['above'], 0.05);
        self::assertEqualsWithDelta(0.6, $mixture['share'], 0.005);
    }

    public function test_what_has_nothing_to_part_gives_no_proposal(): void
    {
        self::assertSame([], Proposal::of(self::histogram([7], 3.0, 3.0), true));
        self::assertSame([], Proposal::of(self::histogram([0, 0, 0, 0], 0.0, 0.0), false));
        self::assertSame([], Proposal::of(self::histogram([5, 0, 0, 5], 0.0, 1.0), false));
        // noise alone: whatever is proposed lies within the values, and never on the wrong side
        $random = new Randomizer(new Mt19937(3));
        $counts = array_map(fn (): int => $random->getInt(0, 1000), range(0, 511));
        foreach (Proposal::of(self::histogram($counts, -1.0, 1.0), true) as $one) {
            self::assertLessThan($one['above'], $one['below']);
            self::assertLessThanOrEqual(1.1, $one['above']);
        }
    }

    /** @param  list<int>  $counts */
    private static function histogram(array $counts, float $minimum, float $maximum): Histogram
    {
        return new Histogram($minimum, $maximum, $counts, array_sum($counts), 0);
    }

    /**
     * What bins hold of normal distributions, to a count.
     *
     * @param  list<array{float, float, float}>  $classes  share, mean, deviation
     * @return list<int>
     */
    private static function counts(array $classes, float $minimum, float $maximum, int $bins, int $pixels): array
    {
        $width = ($maximum - $minimum) / $bins;

        return array_map(fn (int $bin): int => (int) round($pixels * $width * array_sum(array_map(
            fn (array $class): float => $class[0] / $class[2] / sqrt(2 * M_PI) * exp(-0.5 * (($minimum + ($bin + 0.5) * $width - $class[1]) / $class[2]) ** 2),
            $classes,
        ))), range(0, $bins - 1));
    }

    /**
     * Where two weighted normal densities are equal, between their means.
     *
     * @param  array{float, float, float}  $one
     * @param  array{float, float, float}  $other
     */
    private static function crossing(array $one, array $other): float
    {
        [[$p, $m, $s], [$q, $n, $t]] = [$one, $other];
        $a = 1 / (2 * $s ** 2) - 1 / (2 * $t ** 2);
        $b = $n / $t ** 2 - $m / $s ** 2;
        $c = $m ** 2 / (2 * $s ** 2) - $n ** 2 / (2 * $t ** 2) - log($p * $t / ($q * $s));
        $roots = abs($a) < 1e-12 ? [-$c / $b] : array_map(fn (int $sign): float => (-$b + $sign * sqrt($b ** 2 - 4 * $a * $c)) / (2 * $a), [-1, 1]);

        return array_values(array_filter($roots, fn (float $root): bool => $root > min($m, $n) && $root < max($m, $n)))[0];
    }
}
