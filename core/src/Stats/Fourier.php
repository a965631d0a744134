<?php

namespace Chorometra\Core\Stats;

use Chorometra\Core\Problem;

/**
 * Two-dimensional discrete Fourier transform of squares whose side is a power of two.
 *
 * Source: Cooley & Tukey 1965, Mathematics of Computation 19:297–301; decimation in time, radix 2.
 */
final class Fourier
{
    /** @var array<int, array{list<int>, list<float>, list<float>}> order of bits, cosines and sines by side */
    private static array $tables = [];

    /**
     * In place: rows of $n, real and imaginary parts. Not divided by the number, either way.
     *
     * @param  list<float>  $re
     * @param  list<float>  $im
     */
    public static function square(array &$re, array &$im, int $n, bool $inverse = false): void
    {
        [$order, $cosines, $sines] = self::$tables[$n] ??= self::table($n);
        self::rows($re, $im, $n, $order, $cosines, $sines, $inverse ? -1.0 : 1.0);
        self::turn($re, $n);
        self::turn($im, $n);
        self::rows($re, $im, $n, $order, $cosines, $sines, $inverse ? -1.0 : 1.0);
        self::turn($re, $n);
        self::turn($im, $n);
    }

    /** @return array{list<int>, list<float>, list<float>} */
    private static function table(int $n): array
    {
        if ($n < 2 || ($n & ($n - 1)) !== 0) {
            throw Problem::call("The side of a window must be a power of two, not $n.", 'window');
        }
        $bits = (int) log($n, 2);
        $order = $cosines = $sines = [];
        for ($i = 0; $i < $n; $i++) {
            $order[] = (int) bindec(strrev(str_pad(decbin($i), $bits, '0', STR_PAD_LEFT)));
        }
        for ($i = 0; $i < $n >> 1; $i++) {
            $cosines[] = cos(2 * M_PI * $i / $n);
            $sines[] = -sin(2 * M_PI * $i / $n);
        }

        return [$order, $cosines, $sines];
    }

    /**
     * @param  list<float>  $re
     * @param  list<float>  $im
     * @param  list<int>  $order
     * @param  list<float>  $cosines
     * @param  list<float>  $sines
     */
    private static function rows(array &$re, array &$im, int $n, array $order, array $cosines, array $sines, float $sign): void
    {
        $a = $b = array_fill(0, $n, 0.0);
        for ($start = 0, $all = $n * $n; $start < $all; $start += $n) {
            for ($i = 0; $i < $n; $i++) {
                $k = $start + $order[$i];
                $a[$i] = $re[$k];
                $b[$i] = $im[$k];
            }
            for ($half = 1, $step = $n >> 1; $half < $n; $half <<= 1, $step >>= 1) {
                $whole = $half << 1;
                for ($k = 0, $t = 0; $k < $half; $k++, $t += $step) {
                    $c = $cosines[$t];
                    $s = $sign * $sines[$t];
                    for ($i = $k; $i < $n; $i += $whole) {
                        $j = $i + $half;
                        $x = $a[$j] * $c - $b[$j] * $s;
                        $y = $a[$j] * $s + $b[$j] * $c;
                        $a[$j] = $a[$i] - $x;
                        $b[$j] = $b[$i] - $y;
                        $a[$i] += $x;
                        $b[$i] += $y;
                    }
                }
            }
            for ($i = 0; $i < $n; $i++) {
                $re[$start + $i] = $a[$i];
                $im[$start + $i] = $b[$i];
            }
        }
    }

    /** @param  list<float>  $values */
    private static function turn(array &$values, int $n): void
    {
        for ($y = 1; $y < $n; $y++) {
            for ($x = 0, $k = $y * $n, $m = $y; $x < $y; $x++, $k++, $m += $n) {
                $value = $values[$k];
                $values[$k] = $values[$m];
                $values[$m] = $value;
            }
        }
    }
}
