<?php

namespace Chorometra\Core\Stats;

/**
 * Probabilities of several classes from those of one class against another.
 *
 * Source: Wu, Lin & Weng 2004, Probability estimates for multi-class classification by pairwise coupling, Journal of Machine Learning Research 5:975–1005
 * (second approach, algorithm 2).
 */
final class PairwiseCoupling
{
    /** How far the conditions of the optimum may be missed, less the more classes there are. */
    private const TOLERANCE = 1e-4;

    /** Probabilities of a pair are kept this far from 0 and 1. */
    private const LEAST = 1e-7;

    /**
     * @param  list<float>  $pairs  probability of the first class of each pair: (0, 1), (0, 2) … (1, 2) …
     * @return list<float> by class, together 1
     */
    public static function shares(array $pairs, int $classes): array
    {
        $r = [];
        for ($a = 0, $pair = 0; $a < $classes; $a++) {
            for ($b = $a + 1; $b < $classes; $b++, $pair++) {
                $r[$a][$b] = max(self::LEAST, min(1.0 - self::LEAST, $pairs[$pair]));
                $r[$b][$a] = 1.0 - $r[$a][$b];
            }
        }

        return $classes === 2 ? [$r[0][1], $r[1][0]] : self::coupled($r, $classes);
    }

    /**
     * @param  array<int, array<int, float>>  $r  probability of one class against another
     * @return list<float>
     */
    private static function coupled(array $r, int $classes): array
    {
        $q = [];
        for ($a = 0; $a < $classes; $a++) {
            $own = 0.0;
            for ($b = 0; $b < $classes; $b++) {
                if ($b !== $a) {
                    $own += $r[$b][$a] * $r[$b][$a];
                    $q[$a * $classes + $b] = -$r[$b][$a] * $r[$a][$b];
                }
            }
            $q[$a * $classes + $a] = $own;
        }
        $p = array_fill(0, $classes, 1.0 / $classes);
        $most = max(100, $classes);
        for ($turn = 0; $turn < $most; $turn++) {
            $products = [];
            $whole = 0.0;
            for ($a = 0; $a < $classes; $a++) {
                $sum = 0.0;
                for ($b = 0; $b < $classes; $b++) {
                    $sum += $q[$a * $classes + $b] * $p[$b];
                }
                $products[] = $sum;
                $whole += $p[$a] * $sum;
            }
            $worst = 0.0;
            for ($a = 0; $a < $classes; $a++) {
                $worst = max($worst, abs($products[$a] - $whole));
            }
            if ($worst < self::TOLERANCE / $classes) {
                break;
            }
            for ($a = 0; $a < $classes; $a++) {
                $own = $q[$a * $classes + $a];
                $by = ($whole - $products[$a]) / $own;
                $all = 1.0 + $by;
                $p[$a] += $by;
                $whole = ($whole + $by * ($by * $own + 2.0 * $products[$a])) / ($all * $all);
                for ($b = 0; $b < $classes; $b++) {
                    $products[$b] = ($products[$b] + $by * $q[$a * $classes + $b]) / $all;
                    $p[$b] /= $all;
                }
            }
        }

        return $p;
    }
}
