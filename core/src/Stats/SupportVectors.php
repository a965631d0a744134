<?php

namespace Chorometra\Core\Stats;

/**
 * The border of the largest margin between two classes, with a price for samples beyond it (C-SVC): Σ weight · kernel(sample, x) − offset, above 0
 * on the side of the sign +1. Only samples that touch or cross the margin have a weight.
 *
 * Source: Cortes & Vapnik 1995, Support-vector networks, Machine Learning 20:273–297; solved by sequential minimal optimisation, Platt 1998, Microsoft
 * Research MSR-TR-98-14, with the working sets of Fan, Chen & Lin 2005, Journal of Machine Learning Research 6:1889–1918 (WSS 2).
 */
final readonly class SupportVectors
{
    /** How far the errors of the worst pair may lie apart at the end. */
    private const TOLERANCE = 1e-3;

    /** What a curve that is not convex counts as. */
    private const FLAT = 1e-12;

    private const MOST_TURNS = 1_000_000;

    /**
     * @param  list<float>  $weights  by sample, with the sign of its class; 0 where it is no support vector
     * @param  list<float>  $decisions  by sample: on which side it lies, and how far; of those left out as well
     */
    private function __construct(public array $weights, public float $offset, public array $decisions, public bool $hasConverged) {}

    /**
     * @param  list<float>  $signs  1 or −1 by sample, the class it is of
     * @param  float  $cost  C, above 0
     * @param  array<int, true>  $out  samples that are left out of learning
     */
    public static function between(KernelRows $kernel, array $signs, float $cost, array $out = []): self
    {
        $weights = array_fill(0, $kernel->count, 0.0);
        $errors = array_map(fn (float $sign): float => -$sign, $signs);
        // what a weight may still do: 1 rise, 2 fall
        $may = [];
        foreach ($signs as $k => $sign) {
            $may[] = isset($out[$k]) ? 0 : ($sign > 0.0 ? 1 : 2);
        }
        $offset = 0.0;
        $turns = self::solve($weights, $errors, $offset, $may, $signs, $kernel, $kernel->diagonal(), $cost, $kernel->count);
        $decisions = [];
        foreach ($errors as $k => $error) {
            $decisions[] = $error + $signs[$k] - $offset;
        }

        return new self($weights, $offset, $decisions, $turns < self::MOST_TURNS);
    }

    /**
     * Pair after pair of weights, until no pair does better: one that may rise with the least error, and one that may fall and gains the most with it.
     *
     * @param  list<float>  $weights
     * @param  list<float>  $errors  what the sum of kernels is for each sample, less its sign
     * @param  list<int>  $may
     * @param  list<float>  $signs
     * @param  list<float>  $diagonal
     * @return int pairs
     */
    private static function solve(
        array &$weights,
        array &$errors,
        float &$offset,
        array $may,
        array $signs,
        KernelRows $kernel,
        array $diagonal,
        float $cost,
        int $count,
    ): int {
        // references are slow in the loops below
        [$w, $e] = [$weights, $errors];
        $least = INF;
        $most = -INF;
        $i = 0;
        for ($k = 0; $k < $count; $k++) {
            if (($may[$k] & 1) === 1 && $e[$k] < $least) {
                $least = $e[$k];
                $i = $k;
            }
            if ($may[$k] > 1 && $e[$k] > $most) {
                $most = $e[$k];
            }
        }
        for ($turn = 0; $turn < self::MOST_TURNS && $most - $least > self::TOLERANCE; $turn++) {
            $own = $kernel->row($i);
            $itself = $diagonal[$i];
            $best = 0.0;
            $j = $i;
            $curve = self::FLAT;
            for ($k = 0; $k < $count; $k++) {
                if ($may[$k] > 1) {
                    $apart = $e[$k] - $least;
                    if ($apart > 0.0) {
                        $bend = $itself + $diagonal[$k] - 2.0 * $own[$k];
                        if ($bend < 1e-12) {
                            $bend = 1e-12;
                        }
                        if ($apart * $apart > $best * $bend) {
                            $best = $apart * $apart / $bend;
                            $j = $k;
                            $curve = $bend;
                        }
                    }
                }
            }
            $other = $kernel->row($j);
            $highest = $signs[$i] > 0.0 ? $cost : 0.0;
            $lowest = $signs[$j] > 0.0 ? 0.0 : -$cost;
            $step = ($e[$j] - $least) / $curve;
            $up = $highest - $w[$i];
            $down = $w[$j] - $lowest;
            $step = min($step, $up, $down);
            $w[$i] = $step < $up ? $w[$i] + $step : $highest;
            $w[$j] = $step < $down ? $w[$j] - $step : $lowest;
            foreach ([$i, $j] as $k) {
                $may[$k] = ($w[$k] < ($signs[$k] > 0.0 ? $cost : 0.0) ? 1 : 0) + ($w[$k] > ($signs[$k] > 0.0 ? 0.0 : -$cost) ? 2 : 0);
            }
            $least = INF;
            $most = -INF;
            for ($k = 0; $k < $count; $k++) {
                $error = $e[$k] + $step * ($own[$k] - $other[$k]);
                $e[$k] = $error;
                $can = $may[$k];
                if (($can & 1) === 1 && $error < $least) {
                    $least = $error;
                    $i = $k;
                }
                if ($can > 1 && $error > $most) {
                    $most = $error;
                }
            }
        }
        $free = array_keys($may, 3, true);
        $offset = $free === []
            ? (is_finite($least + $most) ? 0.5 * ($least + $most) : (is_finite($least) ? $least : (is_finite($most) ? $most : 0.0)))
            : array_sum(array_map(fn (int $k): float => $e[$k], $free)) / count($free);
        [$weights, $errors] = [$w, $e];

        return $turn;
    }
}
