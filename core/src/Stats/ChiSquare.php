<?php

namespace Chorometra\Core\Stats;

/**
 * The chi-square distribution.
 *
 * Source: Abramowitz & Stegun 1964, Handbook of Mathematical Functions, 26.4 and 6.5 (incomplete gamma function by its series and its continued
 * fraction; log gamma by the series of Lanczos 1964, SIAM Journal on Numerical Analysis B 1:86–96).
 */
final class ChiSquare
{
    private const TURNS = 1000;

    private const LANCZOS = [
        0.99999999999980993, 676.5203681218851, -1259.1392167224028, 771.32342877765313, -176.61502916214059, 12.507343278686905, -0.13857109526572012,
        9.9843695780195716e-6, 1.5056327351493116e-7,
    ];

    /** The probability of a value above $x. */
    public static function above(float $x, float $freedom): float
    {
        if (! ($x > 0.0)) {
            return is_nan($x) ? NAN : 1.0;
        }
        [$a, $z] = [0.5 * $freedom, 0.5 * $x];
        $front = exp($a * log($z) - $z - self::logGamma($a));

        return $z < $a + 1.0 ? 1.0 - $front * self::series($a, $z) : $front * self::fraction($a, $z);
    }

    /** The value that is passed with a probability between 0 and 1. */
    public static function limit(float $probability, float $freedom): float
    {
        if ($probability <= 0.0 || $probability >= 1.0) {
            return $probability <= 0.0 ? INF : 0.0;
        }
        [$low, $high] = [0.0, $freedom];
        while (self::above($high, $freedom) > $probability) {
            [$low, $high] = [$high, 2.0 * $high];
        }
        for ($turn = 0; $turn < 200 && $high - $low > 1e-14 * $high; $turn++) {
            $middle = 0.5 * ($low + $high);
            if (self::above($middle, $freedom) > $probability) {
                $low = $middle;
            } else {
                $high = $middle;
            }
        }

        return 0.5 * ($low + $high);
    }

    private static function series(float $a, float $z): float
    {
        $term = $sum = 1.0 / $a;
        for ($k = 1; $k < self::TURNS && $term > 1e-17 * $sum; $k++) {
            $term *= $z / ($a + $k);
            $sum += $term;
        }

        return $sum;
    }

    private static function fraction(float $a, float $z): float
    {
        $tiny = 1e-300;
        $b = $z + 1.0 - $a;
        $c = 1.0 / $tiny;
        $d = 1.0 / $b;
        $h = $d;
        for ($k = 1; $k < self::TURNS; $k++) {
            $an = -$k * ($k - $a);
            $b += 2.0;
            $d = $an * $d + $b;
            $d = 1.0 / (abs($d) < $tiny ? $tiny : $d);
            $c = $b + $an / $c;
            $c = abs($c) < $tiny ? $tiny : $c;
            $h *= $d * $c;
            if (abs($d * $c - 1.0) < 1e-16) {
                break;
            }
        }

        return $h;
    }

    private static function logGamma(float $x): float
    {
        $sum = self::LANCZOS[0];
        for ($k = 1; $k < 9; $k++) {
            $sum += self::LANCZOS[$k] / ($x - 1.0 + $k);
        }
        $t = $x + 6.5;

        return 0.5 * log(2.0 * M_PI) + ($x - 0.5) * log($t) - $t + log($sum);
    }
}
