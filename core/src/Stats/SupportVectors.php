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

    /** Turns after which samples that stay where they are get left out of the search. */
    private const SHRINKING = 200;

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
        $diagonal = $kernel->diagonal();
        $learning = array_keys(array_diff_key($signs, $out));
        $active = $learning;
        $turns = 0;
        do {
            [$weights, $errors, $may, $active, $turns] = self::solved($weights, $errors, $may, $active, $signs, $kernel, $diagonal, $cost, $turns);
            $isWhole = count($active) === count($learning);
            if (count($active) < $kernel->count) {
                $errors = self::errors($errors, $weights, array_keys(array_diff_key($signs, array_flip($active))), $signs, $kernel);
            }
            $active = $learning;
            [$least, $most] = self::bounds($errors, $may, $active, count($active));
        } while (! $isWhole && $most - $least > self::TOLERANCE && $turns < self::MOST_TURNS);
        $offset = self::offset($errors, $may, $least, $most);

        return new self(
            $weights,
            $offset,
            array_map(fn (float $error, float $sign): float => $error + $sign - $offset, $errors, $signs),
            $turns < self::MOST_TURNS,
        );
    }

    /**
     * Pair after pair of weights, until no pair does better: one that may rise with the least error, and one that may fall and gains the most with it.
     * Samples whose weights are at a limit and stay there are not looked at any more.
     *
     * @param  list<float>  $weights
     * @param  list<float>  $errors  what the sum of kernels is for each sample, less its sign; of active samples
     * @param  list<int>  $may
     * @param  list<int>  $active
     * @param  list<float>  $signs
     * @param  list<float>  $diagonal
     * @return array{list<float>, list<float>, list<int>, list<int>, int} weights, errors, may, those still active, turns
     */
    private static function solved(
        array $weights,
        array $errors,
        array $may,
        array $active,
        array $signs,
        KernelRows $kernel,
        array $diagonal,
        float $cost,
        int $turn,
    ): array {
        $count = count($active);
        [$least, $most, $i] = self::bounds($errors, $may, $active, $count);
        for (; $turn < self::MOST_TURNS && $most - $least > self::TOLERANCE; $turn++) {
            if ($turn % self::SHRINKING === self::SHRINKING - 1) {
                $active = self::shrunk($active, $errors, $may, $least, $most);
                $count = count($active);
            }
            $own = $kernel->row($i);
            [$j, $curve] = self::partner($own, $errors, $may, $active, $count, $diagonal, $least, $i);
            $other = $kernel->row($j);
            $up = ($signs[$i] > 0.0 ? $cost : 0.0) - $weights[$i];
            $down = $weights[$j] - ($signs[$j] > 0.0 ? 0.0 : -$cost);
            $step = min(($errors[$j] - $least) / $curve, $up, $down);
            $weights[$i] = $step < $up ? $weights[$i] + $step : ($signs[$i] > 0.0 ? $cost : 0.0);
            $weights[$j] = $step < $down ? $weights[$j] - $step : ($signs[$j] > 0.0 ? 0.0 : -$cost);
            foreach ([$i, $j] as $k) {
                $may[$k] = ($weights[$k] < ($signs[$k] > 0.0 ? $cost : 0.0) ? 1 : 0) + ($weights[$k] > ($signs[$k] > 0.0 ? 0.0 : -$cost) ? 2 : 0);
            }
            $least = INF;
            $most = -INF;
            for ($n = 0; $n < $count; $n++) {
                $k = $active[$n];
                $error = $errors[$k] + $step * ($own[$k] - $other[$k]);
                $errors[$k] = $error;
                $can = $may[$k];
                if ($error < $least && $can !== 2) {
                    $least = $error;
                    $i = $k;
                }
                if ($error > $most && $can !== 1) {
                    $most = $error;
                }
            }
        }

        return [$weights, $errors, $may, $active, $turn];
    }

    /**
     * The sample that gains the most together with the one of the least error, and how the sum bends along both.
     *
     * @param  list<float>  $own  kernel of that one
     * @param  list<float>  $errors
     * @param  list<int>  $may
     * @param  list<int>  $active
     * @param  list<float>  $diagonal
     * @return array{int, float}
     */
    private static function partner(array $own, array $errors, array $may, array $active, int $count, array $diagonal, float $least, int $i): array
    {
        $itself = $diagonal[$i];
        $best = 0.0;
        $j = $i;
        $curve = 1e-12;
        for ($n = 0; $n < $count; $n++) {
            $k = $active[$n];
            if ($may[$k] > 1) {
                $apart = $errors[$k] - $least;
                if ($apart > 0.0) {
                    $bend = $itself + $diagonal[$k] - 2.0 * $own[$k];
                    // what does not bend counts as nearly flat
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

        return [$j, $curve];
    }

    /**
     * The least error of what may rise and the greatest of what may fall; and which has the least.
     *
     * @param  list<float>  $errors
     * @param  list<int>  $may
     * @param  list<int>  $active
     * @return array{float, float, int}
     */
    private static function bounds(array $errors, array $may, array $active, int $count): array
    {
        $least = INF;
        $most = -INF;
        $i = 0;
        for ($n = 0; $n < $count; $n++) {
            $k = $active[$n];
            if (($may[$k] & 1) === 1 && $errors[$k] < $least) {
                $least = $errors[$k];
                $i = $k;
            }
            if ($may[$k] > 1 && $errors[$k] > $most) {
                $most = $errors[$k];
            }
        }

        return [$least, $most, $i];
    }

    /**
     * Without those that can only rise and have a larger error than any that falls, or the other way round.
     *
     * @param  list<int>  $active
     * @param  list<float>  $errors
     * @param  list<int>  $may
     * @return list<int>
     */
    private static function shrunk(array $active, array $errors, array $may, float $least, float $most): array
    {
        return array_values(array_filter(
            $active,
            fn (int $k): bool => $may[$k] === 3 || ($may[$k] === 1 ? $errors[$k] <= $most : $errors[$k] >= $least),
        ));
    }

    /**
     * @param  list<float>  $errors
     * @param  list<float>  $weights
     * @param  list<int>  $samples  whose errors are computed anew
     * @param  list<float>  $signs
     * @return list<float>
     */
    private static function errors(array $errors, array $weights, array $samples, array $signs, KernelRows $kernel): array
    {
        foreach ($samples as $k) {
            $errors[$k] = -$signs[$k];
        }
        foreach (array_filter($weights) as $vector => $weight) {
            $row = $kernel->row($vector);
            foreach ($samples as $k) {
                $errors[$k] += $weight * $row[$k];
            }
        }

        return array_values($errors);
    }

    /**
     * @param  list<float>  $errors
     * @param  list<int>  $may
     */
    private static function offset(array $errors, array $may, float $least, float $most): float
    {
        $free = array_keys($may, 3, true);
        if ($free !== []) {
            return array_sum(array_map(fn (int $k): float => $errors[$k], $free)) / count($free);
        }
        // where samples are of one class only, all are on its side
        $ends = array_filter([$least, $most], is_finite(...));

        return $ends === [] ? 0.0 : array_sum($ends) / count($ends);
    }
}
