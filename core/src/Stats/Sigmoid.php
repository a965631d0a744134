<?php

namespace Chorometra\Core\Stats;

/**
 * From decision values to probabilities: 1 / (1 + exp(A f + B)).
 *
 * Source: Platt 2000, Probabilities for SV machines, in Advances in Large Margin Classifiers, 61–74, by the Newton method of Lin, Lin & Weng 2007, A note
 * on Platt's probabilistic outputs for support vector machines, Machine Learning 68:267–276 (algorithm 1).
 */
final class Sigmoid
{
    private const MOST_TURNS = 100;

    private const SHORTEST_STEP = 1e-10;

    /** Added to the diagonal of the Hessian, so that it can always be inverted. */
    private const RIDGE = 1e-12;

    private const TOLERANCE = 1e-5;

    /**
     * @param  list<float>  $decisions
     * @param  list<float>  $signs  1 or −1
     * @return array{float, float} A and B
     */
    public static function fitted(array $decisions, array $signs): array
    {
        $positive = count(array_filter($signs, fn (float $sign): bool => $sign > 0.0));
        $negative = count($signs) - $positive;
        [$high, $low] = [($positive + 1.0) / ($positive + 2.0), 1.0 / ($negative + 2.0)];
        $targets = array_map(fn (float $sign): float => $sign > 0.0 ? $high : $low, $signs);
        [$a, $b] = [0.0, log(($negative + 1.0) / ($positive + 1.0))];
        $loss = self::loss($decisions, $targets, $a, $b);
        for ($turn = 0; $turn < self::MOST_TURNS; $turn++) {
            [$aa, $bb, $ab, $ga, $gb] = [self::RIDGE, self::RIDGE, 0.0, 0.0, 0.0];
            foreach ($decisions as $k => $decision) {
                $p = self::value($decision, $a, $b);
                $bend = $p * (1.0 - $p);
                $aa += $decision * $decision * $bend;
                $bb += $bend;
                $ab += $decision * $bend;
                $ga += $decision * ($targets[$k] - $p);
                $gb += $targets[$k] - $p;
            }
            if (abs($ga) < self::TOLERANCE && abs($gb) < self::TOLERANCE) {
                break;
            }
            $determinant = $aa * $bb - $ab * $ab;
            $da = -($bb * $ga - $ab * $gb) / $determinant;
            $db = -($aa * $gb - $ab * $ga) / $determinant;
            $slope = $ga * $da + $gb * $db;
            for ($step = 1.0; $step >= self::SHORTEST_STEP; $step /= 2.0) {
                $next = self::loss($decisions, $targets, $a + $step * $da, $b + $step * $db);
                if ($next < $loss + 1e-4 * $step * $slope) {
                    break;
                }
            }
            if ($step < self::SHORTEST_STEP) {
                break;
            }
            [$a, $b, $loss] = [$a + $step * $da, $b + $step * $db, $next];
        }

        return [$a, $b];
    }

    /** Probability of the sign +1. */
    public static function value(float $decision, float $a, float $b): float
    {
        $z = $a * $decision + $b;

        return $z < 0.0 ? 1.0 / (1.0 + exp($z)) : exp(-$z) / (1.0 + exp(-$z));
    }

    /**
     * @param  list<float>  $decisions
     * @param  list<float>  $targets
     */
    private static function loss(array $decisions, array $targets, float $a, float $b): float
    {
        $loss = 0.0;
        foreach ($decisions as $k => $decision) {
            $z = $a * $decision + $b;
            $loss += $z < 0.0 ? ($targets[$k] - 1.0) * $z + log1p(exp($z)) : $targets[$k] * $z + log1p(exp(-$z));
        }

        return $loss;
    }
}
