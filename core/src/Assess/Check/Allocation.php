<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Problem;

/** How many points of a sample fall to each stratum. */
final class Allocation
{
    /** The stratum of designs that draw from all classes alike. */
    public const WHOLE = -1;

    /** What the stratum of unlabelled ground is called. */
    public const UNLABELLED = 'unlabelled';

    /**
     * Points per class, adding up to $total where the classes have enough pixels: as their weights are, but none below $least and none
     * above what the class has; what that leaves or takes is shared among the others. Largest remainders first.
     *
     * @param  array<int, int>  $pixels  by class
     * @param  list<float>  $expected  user's accuracies in the order of the classes, for Neyman
     * @param  array<int, float>|null  $areas  of the classes, in any unit; their pixels when null
     * @param  array<int, int>  $drawn  points that each class has already
     * @return array<int, int>
     *
     * @throws Problem where the least of all classes together are more than the total
     */
    public static function allocate(
        array $pixels,
        int $total,
        string $allocation,
        array $expected = [],
        int $least = 0,
        ?array $areas = null,
        array $drawn = [],
    ): array {
        $lower = [];
        foreach ($pixels as $code => $has) {
            $lower[$code] = min($has, max($least, $drawn[$code] ?? 0));
        }
        if ($drawn !== [] && array_sum($lower) > $total) {
            throw Problem::call(
                sprintf('There are %d points already, and with the minimum per class %d: ask for more than that.', array_sum($drawn), array_sum($lower)),
                'points',
            );
        }
        if (array_sum($lower) > $total) {
            throw Problem::call(
                sprintf(
                    '%d points for each of %d classes are %d in all, more than the %d asked for: ask for %d or more, or for fewer of a class.',
                    $least,
                    count($pixels),
                    array_sum($lower),
                    $total,
                    array_sum($lower),
                ),
                'points',
            );
        }
        $total = min($total, array_sum($pixels));
        $areas ??= $pixels;
        $weights = [];
        foreach (array_keys($pixels) as $index => $code) {
            $weights[$code] = match ($allocation) {
                'equal' => 1.0,
                'proportional' => (float) $areas[$code],
                default => $areas[$code] * sqrt($expected[$index] * (1 - $expected[$index])),
            };
        }
        // a class that is expected to be all right gets what the others can't hold
        $sum = array_sum($weights);
        $weights = array_map(fn (float $weight): float => $sum > 0 ? max($weight / $sum, 1e-9) : 1.0, $weights);
        $exact = self::within($pixels, $lower, $weights, $total);
        $shares = array_map(fn (float $share): int => (int) floor($share + 1e-9), $exact);
        $rests = [];
        foreach ($exact as $code => $share) {
            $rests[$code] = $share - $shares[$code];
        }
        arsort($rests);
        for ($left = $total - array_sum($shares); $left > 0;) {
            foreach (array_keys($rests) as $code) {
                if ($left > 0 && $shares[$code] < $pixels[$code]) {
                    $shares[$code]++;
                    $left--;
                }
            }
        }

        return $shares;
    }

    /**
     * Shares in one proportion to their weights, each kept between what it must and what it can be, adding up to the total.
     *
     * @param  array<int, int>  $upper
     * @param  array<int, int>  $lower
     * @param  array<int, float>  $weights  above 0
     * @return array<int, float>
     */
    private static function within(array $upper, array $lower, array $weights, int $total): array
    {
        $at = fn (float $factor): array => array_map(
            fn (int $code): float => max($lower[$code], min($upper[$code], $factor * $weights[$code])),
            array_combine(array_keys($weights), array_keys($weights)),
        );
        [$low, $high] = [0.0, $total / min([1.0, ...$weights]) + 1];
        for ($round = 0; $round < 200; $round++) {
            $middle = 0.5 * ($low + $high);
            array_sum($at($middle)) < $total ? $low = $middle : $high = $middle;
        }

        return $at($high);
    }
}
