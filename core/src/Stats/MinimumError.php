<?php

namespace Chorometra\Core\Stats;

/**
 * The limit that parts a histogram so that normal distributions of both parts, each as wide as its part is, would be told apart with the least error.
 *
 * Source: Kittler & Illingworth 1986, Pattern Recognition 19:41–47 (from memory): least is 1 + 2 Σ P (ln σ − ln P).
 */
final class MinimumError
{
    /** In bins squared: one filled bin has no width, and is no distribution. */
    private const LEAST_VARIANCE = 0.05;

    /**
     * @param  list<int>  $counts  of bins of one width from $minimum to $maximum
     * @return float|null null where there are too few values to part
     */
    public static function limit(array $counts, float $minimum, float $maximum): ?float
    {
        // weight, sum and sum of squares of what lies below and above, in bins
        $above = [0.0, 0.0, 0.0];
        foreach ($counts as $bin => $count) {
            $above = [$above[0] + $count, $above[1] + $count * $bin, $above[2] + $count * $bin * $bin];
        }
        $total = $above[0];
        $below = [0.0, 0.0, 0.0];
        $best = INF;
        $edge = null;
        foreach ($counts as $bin => $count) {
            $one = [$count, $count * $bin, $count * $bin * $bin];
            $below = array_map(fn (float $sum, float $own): float => $sum + $own, $below, $one);
            $above = array_map(fn (float $sum, float $own): float => $sum - $own, $above, $one);
            $error = self::part($below, $total) + self::part($above, $total);
            if ($error < $best) {
                [$best, $edge] = [$error, $bin + 1];
            }
        }

        return $edge === null ? null : $minimum + $edge * ($maximum - $minimum) / count($counts);
    }

    /** @param  array<float>  $sums */
    private static function part(array $sums, float $total): float
    {
        [$weight, $sum, $squares] = $sums;
        $variance = $weight > 0.0 ? $squares / $weight - ($sum / $weight) ** 2 : 0.0;

        return $variance > self::LEAST_VARIANCE ? $weight / $total * (0.5 * log($variance) - log($weight / $total)) : INF;
    }
}
