<?php

namespace Chorometra\Core\Stats;

/**
 * Limits that part a histogram so that normal distributions of the parts, each as wide as its part is, would be told apart with the least error.
 *
 * Source: Kittler & Illingworth 1986, Pattern Recognition 19:41–47 (from memory): least is 1 + 2 Σ P (ln σ − ln P).
 */
final class MinimumError
{
    /** Bins that are tried: of two limits, all pairs are. */
    private const BINS = 256;

    /**
     * @param  list<int>  $counts  of bins of one width from $minimum to $maximum
     * @param  1|2  $number  of limits
     * @return list<float>|null rising; null where there are too few values to part
     */
    public static function limits(array $counts, float $minimum, float $maximum, int $number): ?array
    {
        $by = max(1, (int) ceil(count($counts) / self::BINS));
        $bins = array_map(array_sum(...), array_chunk($counts, $by));
        $width = $by * ($maximum - $minimum) / max(1, count($counts));
        // sums up to each edge, in bins
        $weight = $sum = $squares = [0.0];
        foreach ($bins as $bin => $count) {
            $weight[] = $weight[$bin] + $count;
            $sum[] = $sum[$bin] + $count * ($bin + 0.5);
            $squares[] = $squares[$bin] + $count * ($bin + 0.5) ** 2;
        }
        $last = count($bins);
        $total = $weight[$last];
        $part = function (int $from, int $to) use ($weight, $sum, $squares, $total): float {
            $own = $weight[$to] - $weight[$from];
            $mean = $own > 0.0 ? ($sum[$to] - $sum[$from]) / $own : 0.0;
            $variance = $own > 0.0 ? ($squares[$to] - $squares[$from]) / $own - $mean * $mean : 0.0;

            // one filled bin has no width: it is no distribution
            return $variance > 0.05 ? $own / $total * (0.5 * log($variance) - log($own / $total)) : INF;
        };
        $best = INF;
        $found = null;
        for ($low = 1; $low < $last; $low++) {
            $first = $part(0, $low);
            for ($high = $number === 1 ? $last : $low + 1; $first < INF && $high <= $last - ($number === 1 ? 0 : 1); $high++) {
                $error = $first + $part($low, $high) + ($number === 1 ? 0.0 : $part($high, $last));
                if ($error < $best) {
                    [$best, $found] = [$error, $number === 1 ? [$low] : [$low, $high]];
                }
            }
        }

        return $found === null ? null : array_map(fn (int $edge): float => $minimum + $edge * $width, $found);
    }
}
