<?php

namespace Chorometra\Core\Stats;

/** Middle and spread that single outliers do not move. */
final class Robust
{
    /**
     * Median, and the deviation that goes with the median absolute deviation of a normal distribution.
     *
     * @param  list<float>  $values
     * @return array{float, float}
     */
    public static function spread(array $values): array
    {
        if ($values === []) {
            return [0.0, 0.0];
        }
        sort($values);
        $middle = $values[intdiv(count($values), 2)];
        $away = array_map(fn (float $value): float => abs($value - $middle), $values);
        sort($away);

        return [$middle, 1.4826 * $away[intdiv(count($away), 2)]];
    }
}
