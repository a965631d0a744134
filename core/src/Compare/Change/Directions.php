<?php

namespace Chorometra\Core\Compare\Change;

use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Work\GeneratedCode;

/**
 * Length and direction of change over several bands: of two bands the angle from the first band's axis towards the second's, 0 to 360 degrees; of more
 * a code of which bands rose, the first as 1, the second as 2, the third as 4 …
 *
 * Source: Malila 1980, Proceedings of the 6th Symposium on Machine Processing of Remotely Sensed Data, 326–335 (from memory).
 */
final class Directions
{
    /** Bands whose signs have a code each. */
    public const MOST_BANDS = 8;

    /**
     * @return \Closure(list<list<float>>, int): array{list<float>, list<float>} from the bands before and after and their length to lengths and
     *   directions, NaN where a band has none; a pixel without any change has length 0 and no direction
     */
    public static function of(int $bands): \Closure
    {
        $bind = $take = $sum = $code = '';
        for ($k = 0; $k < $bands; $k++) {
            $later = $bands + $k;
            $bind .= "    \$b$k = \$in[$k];\n    \$a$k = \$in[$later];\n";
            $take .= "        \$d$k = \$a{$k}[\$i] - \$b{$k}[\$i];\n";
            $sum .= ($k > 0 ? ' + ' : '')."\$d$k * \$d$k";
            $code .= ($k > 0 ? ' + ' : '')."(\$d$k > 0.0 ? ".(1 << $k).'.0 : 0.0)';
        }
        $direction = $bands === 2
            ? "\$w = atan2(\$d1, \$d0) * 57.29577951308232;\n            \$directions[\$i] = \$w < 0.0 ? \$w + 360.0 : \$w;\n"
            : "\$directions[\$i] = $code;\n";

        return GeneratedCode::load("return static function (array \$in, int \$n): array {\n$bind    \$lengths = array_fill(0, \$n, NAN);\n"
            ."    \$directions = \$lengths;\n    for (\$i = 0; \$i < \$n; ++\$i) {\n$take        \$s = $sum;\n        \$lengths[\$i] = sqrt(\$s);\n"
            ."        if (\$s > 0.0) {\n            $direction        }\n    }\n    return [\$lengths, \$directions];\n};\n");
    }

    /**
     * Directions as classes: of two bands quarters, of more signs. Code 1 is unchanged, the code of signs lies 2 above.
     *
     * @param  list<string>  $labels
     */
    public static function legend(array $labels): Legend
    {
        $classes = [1 => ['name' => 'unchanged', 'colour' => '#d5d2c8']];
        $number = 1 << count($labels);
        for ($code = 0; $code < $number; $code++) {
            $words = array_map(fn (string $label, int $k): string => $label.(($code >> $k) & 1 ? ' up' : ' down'), $labels, array_keys($labels));
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
    public static function codes(array $lengths, array $values, float $limit, int $count, int $nodata): array
    {
        $bands = intdiv(count($values), 2);
        $codes = self::beyond($lengths, $limit, $count, $nodata);
        for ($k = 0; $k < $bands; $k++) {
            self::rise($codes, $values[$k], $values[$bands + $k], 1 << $k, $nodata, $count);
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
     * @param  list<int>  $codes
     * @param  list<float>  $before
     * @param  list<float>  $after
     */
    private static function rise(array &$codes, array $before, array $after, int $bit, int $nodata, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $code = $codes[$i];
            if ($code > 1 && $code !== $nodata && $after[$i] > $before[$i]) {
                $codes[$i] = $code + $bit;
            }
        }
    }

    /** Where a code of signs stands on the circle, 0 to 1: of two bands the middle of its quarter; of more such that opposite codes lie opposite. */
    private static function turn(int $code, int $bands): float
    {
        $number = 1 << $bands;
        if ($bands === 2) {
            return [0 => 0.625, 1 => 0.875, 3 => 0.125, 2 => 0.375][$code];
        }

        return ($code < $number / 2 ? $code : 0.5 * $number + ($number - 1 - $code)) / $number;
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
