<?php

namespace Chorometra\Core\Stats;

use Chorometra\Core\Problem;

/**
 * Two-dimensional discrete Fourier transform of squares whose side is a power of two from 4 on.
 *
 * Source: Cooley & Tukey 1965, Mathematics of Computation 19:297–301; decimation in time, two stages at a time
 * (radix 4), and one of radix 2 where their number is odd.
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
        $sign = $inverse ? -1.0 : 1.0;
        self::lines($re, $im, $n, 1, $n, $order, $cosines, $sines, $sign);
        self::lines($re, $im, $n, $n, 1, $order, $cosines, $sines, $sign);
    }

    /** @return array{list<int>, list<float>, list<float>} */
    private static function table(int $n): array
    {
        if ($n < 4 || ($n & ($n - 1)) !== 0) {
            throw Problem::call("The side of a window must be a power of two from 4 on, not $n.", 'window');
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
     * All rows, or all columns.
     *
     * $n lines of $n numbers; $sign 1 there and −1 back.
     *
     * @param  list<float>  $re
     * @param  list<float>  $im
     * @param  int  $along  distance of two numbers of a line
     * @param  int  $across  distance of two lines
     * @param  list<int>  $order
     * @param  list<float>  $cosines
     * @param  list<float>  $sines
     */
    private static function lines(array &$re, array &$im, int $n, int $along, int $across, array $order, array $cosines, array $sines, float $sign): void
    {
        $a = $b = array_fill(0, $n, 0.0);
        for ($line = 0; $line < $n; $line++) {
            $start = $line * $across;
            // the first two stages turn by nothing or by a quarter
            for ($i = 0; $i < $n; $i += 4) {
                $k = $start + $order[$i] * $along;
                $l = $start + $order[$i + 1] * $along;
                $p = $re[$k] + $re[$l];
                $q = $im[$k] + $im[$l];
                $r = $re[$k] - $re[$l];
                $u = $im[$k] - $im[$l];
                $k = $start + $order[$i + 2] * $along;
                $l = $start + $order[$i + 3] * $along;
                $x = $re[$k] + $re[$l];
                $y = $im[$k] + $im[$l];
                $a[$i] = $p + $x;
                $b[$i] = $q + $y;
                $a[$i + 2] = $p - $x;
                $b[$i + 2] = $q - $y;
                $x = $sign * ($im[$k] - $im[$l]);
                $y = $sign * ($re[$l] - $re[$k]);
                $a[$i + 1] = $r + $x;
                $b[$i + 1] = $u + $y;
                $a[$i + 3] = $r - $x;
                $b[$i + 3] = $u - $y;
            }
            for ($quarter = 4, $step = $n >> 4; $step > 0; $quarter <<= 2, $step >>= 2) {
                self::fours($a, $b, $n, $quarter, $step, $cosines, $sines, $sign);
            }
            if ($quarter < $n) {
                self::twos($a, $b, $quarter, $cosines, $sines, $sign);
            }
            for ($i = 0, $k = $start; $i < $n; $i++, $k += $along) {
                $re[$k] = $a[$i];
                $im[$k] = $b[$i];
            }
        }
    }

    /**
     * Two stages: of four transforms of $quarter numbers each one of four times as many.
     *
     * $n numbers; $step between the angles taken of those there are, $sign 1 there and −1 back.
     *
     * @param  list<float>  $a
     * @param  list<float>  $b
     * @param  list<float>  $cosines
     * @param  list<float>  $sines
     */
    private static function fours(array &$a, array &$b, int $n, int $quarter, int $step, array $cosines, array $sines, float $sign): void
    {
        $whole = $quarter << 2;
        for ($first = 0, $t = 0; $first < $quarter; $first++, $t += $step) {
            $c = $cosines[$t];
            $s = $sign * $sines[$t];
            // of twice the angle
            $d = $c * $c - $s * $s;
            $e = 2.0 * $c * $s;
            for ($i = $first; $i < $n; $i += $whole) {
                $j = $i + $quarter;
                $k = $j + $quarter;
                $l = $k + $quarter;
                $x = $a[$j] * $d - $b[$j] * $e;
                $y = $a[$j] * $e + $b[$j] * $d;
                $p = $a[$i] + $x;
                $o = $b[$i] + $y;
                $r = $a[$i] - $x;
                $u = $b[$i] - $y;
                $x = $a[$l] * $d - $b[$l] * $e;
                $y = $a[$l] * $e + $b[$l] * $d;
                $v = $a[$k] + $x;
                $w = $b[$k] + $y;
                $x = $a[$k] - $x;
                $y = $b[$k] - $y;
                $f = $v * $c - $w * $s;
                $g = $v * $s + $w * $c;
                $a[$i] = $p + $f;
                $b[$i] = $o + $g;
                $a[$k] = $p - $f;
                $b[$k] = $o - $g;
                // a quarter turn further
                $f = $sign * ($x * $s + $y * $c);
                $g = $sign * ($y * $s - $x * $c);
                $a[$j] = $r + $f;
                $b[$j] = $u + $g;
                $a[$l] = $r - $f;
                $b[$l] = $u - $g;
            }
        }
    }

    /**
     * The last stage where their number is odd.
     *
     * $half of the numbers; $sign 1 there and −1 back.
     *
     * @param  list<float>  $a
     * @param  list<float>  $b
     * @param  list<float>  $cosines
     * @param  list<float>  $sines
     */
    private static function twos(array &$a, array &$b, int $half, array $cosines, array $sines, float $sign): void
    {
        for ($i = 0, $j = $half; $i < $half; $i++, $j++) {
            $c = $cosines[$i];
            $s = $sign * $sines[$i];
            $x = $a[$j] * $c - $b[$j] * $s;
            $y = $a[$j] * $s + $b[$j] * $c;
            $a[$j] = $a[$i] - $x;
            $b[$j] = $b[$i] - $y;
            $a[$i] += $x;
            $b[$i] += $y;
        }
    }
}
