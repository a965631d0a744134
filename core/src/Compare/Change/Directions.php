<?php

namespace Chorometra\Core\Compare\Change;

use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Work\Kernel;

/**
 * Length and direction of change over several bands: of two bands the angle from the first band's axis towards the second's, 0 to 360 degrees; of more
 * a code of their signs, a digit to the base of three for each band: 0 unchanged, 1 up, 2 down; the first band counts 1, the second 3, the third 9 …
 *
 * Source: Malila 1980, Proceedings of the 6th Symposium on Machine Processing of Remotely Sensed Data, 326–335 (from memory).
 */
final class Directions
{
    /** Bands whose signs have a code each. */
    public const MOST_BANDS = 8;

    /**
     * @param  float  $tolerance  a band that changes by no more is unchanged
     * @return \Closure(list<list<float>>, int): array{list<float>, list<float>} from the bands before and after and their length to lengths and
     *   directions, NaN where a band has none; a pixel without any change has length 0 and no direction
     */
    public static function of(int $bands, float $tolerance = 0.0): \Closure
    {
        $kernel = Kernel::of('array $in, int $n, float $least')
            ->each($bands, '$b# = $in[#];')
            ->text('$lengths = array_fill(0, $n, NAN); $directions = $lengths;');
        for ($k = 0; $k < $bands; $k++) {
            $kernel->text("\$a$k = \$in[".($bands + $k).'];');
        }
        $sign = fn (int $k): string => sprintf('($d%1$d > $least ? %2$d.0 : ($d%1$d < -$least ? %3$d.0 : 0.0))', $k, 3 ** $k, 2 * 3 ** $k);
        $direction = $bands === 2
            ? '$w = atan2($d1, $d0) * 57.29577951308232; $directions[$i] = $w < 0.0 ? $w + 360.0 : $w;'
            : '$directions[$i] = '.implode(' + ', array_map($sign, range(0, $bands - 1))).';';
        $loop = $kernel
            ->loop(fn (Kernel $each): Kernel => $each
                ->each($bands, '$d# = $a#[$i] - $b#[$i];')
                ->text('$s = '.Kernel::joined($bands, '$d# * $d#').'; $lengths[$i] = sqrt($s);')
                ->block('if ($s > 0.0)', fn (Kernel $changed): Kernel => $changed->text($direction)))
            ->text('return [$lengths, $directions];')
            ->compile();

        return fn (array $values, int $count): array => $loop($values, $count, $tolerance);
    }

    /**
     * Signs as classes. Code 1 is unchanged, the code of signs lies 2 above.
     *
     * @param  list<string>  $labels
     * @param  list<int>  $codes  of signs, those that there are
     */
    public static function legend(array $labels, array $codes): Legend
    {
        $classes = [1 => ['name' => 'unchanged', 'colour' => '#d5d2c8']];
        foreach ($codes as $code) {
            $words = array_map(
                fn (string $label, int $k): string => $label.[' unchanged', ' up', ' down'][intdiv($code, 3 ** $k) % 3],
                $labels,
                array_keys($labels),
            );
            // hues around the circle, so that opposite directions have opposite colours
            $classes[2 + $code] = ['name' => implode(' and ', $words), 'colour' => self::hue(self::turn($code, count($labels)))];
        }

        return new Legend($classes);
    }

    /**
     * Codes of $count pixels.
     *
     * @param  list<float>  $lengths
     * @param  list<list<float>>  $values  bands before, then after
     * @return list<int>
     */
    public static function codes(array $lengths, array $values, float $limit, int $count, int $nodata, float $tolerance = 0.0): array
    {
        $bands = intdiv(count($values), 2);
        $codes = self::beyond($lengths, $limit, $count, $nodata);
        for ($k = 0; $k < $bands; $k++) {
            self::sign($codes, $lengths, $values[$k], $values[$bands + $k], $limit, 3 ** $k, $tolerance, $count);
        }

        return $codes;
    }

    /**
     * @param  list<float>  $lengths
     * @return list<int>
     */
    private static function beyond(array $lengths, float $limit, int $count, int $nodata): array
    {
        $codes = array_fill(0, $count, 0);
        for ($i = 0; $i < $count; $i++) {
            $length = $lengths[$i];
            $codes[$i] = $length > $limit ? 2 : ($length === $length ? 1 : $nodata);
        }

        return $codes;
    }

    /**
     * What a band adds to the codes of pixels that changed: once its $place where it rose, twice where it fell.
     *
     * @param  list<int>  $codes
     * @param  list<float>  $lengths
     * @param  list<float>  $before
     * @param  list<float>  $after
     */
    private static function sign(array &$codes, array $lengths, array $before, array $after, float $limit, int $place, float $tolerance, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            if ($lengths[$i] > $limit) {
                $by = $after[$i] - $before[$i];
                if ($by > $tolerance) {
                    $codes[$i] += $place;
                } elseif ($by < -$tolerance) {
                    $codes[$i] += 2 * $place;
                }
            }
        }
    }

    /** Where a code of signs stands on the circle, 0 to 1: of two bands by its angle; of more such that opposite codes lie opposite. */
    private static function turn(int $code, int $bands): float
    {
        $signs = array_map(fn (int $k): int => [0, 1, -1][intdiv($code, 3 ** $k) % 3], range(0, $bands - 1));
        if ($bands === 2) {
            return fmod(1.0 + atan2($signs[1], $signs[0]) / (2 * M_PI), 1.0);
        }
        $place = array_sum(array_map(fn (int $sign, int $k): int => $sign * 3 ** $k, $signs, array_keys($signs)));
        $part = abs($place) / (3 ** $bands);

        return $place >= 0 ? $part : 0.5 + $part;
    }

    private static function hue(float $turn): string
    {
        $part = function (float $shift) use ($turn): int {
            $at = fmod($turn + $shift, 1.0) * 6.0;

            return (int) round(70 + 140 * max(0.0, min(1.0, abs($at - 3.0) - 1.0)));
        };

        return sprintf('#%02x%02x%02x', $part(0.0), $part(2 / 3), $part(1 / 3));
    }
}
