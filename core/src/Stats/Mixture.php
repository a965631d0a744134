<?php

namespace Chorometra\Core\Stats;

/**
 * A histogram as a sum of normal distributions, by expectation–maximisation.
 *
 * Source: Dempster, Laird & Rubin 1977, Journal of the Royal Statistical Society B 39:1–38; of change and no change: Bruzzone & Prieto 2000, IEEE
 * Transactions on Geoscience and Remote Sensing 38:1171–1182 (from memory).
 */
final readonly class Mixture
{
    private const ROUNDS = 500;

    /** Of the logarithm of the likelihood, per value: less than that, and the rounds end. */
    private const SETTLED = 1e-8;

    /** A class that holds a smaller part of the values is none. */
    private const LEAST_SHARE = 1e-4;

    /** @param  non-empty-list<array{share: float, mean: float, deviation: float}>  $classes  by rising mean */
    private function __construct(public array $classes) {}

    /**
     * @param  list<int>  $counts  of bins of one width from $minimum to $maximum
     * @param  list<float>  $splits  values, rising, between which the classes begin: as many classes as splits and one
     * @return self|null null where a class dies out or has one value only
     */
    public static function of(array $counts, float $minimum, float $maximum, array $splits): ?self
    {
        $width = ($maximum - $minimum) / max(1, count($counts));
        $values = $weights = [];
        foreach ($counts as $bin => $count) {
            if ($count > 0) {
                $values[] = $minimum + ($bin + 0.5) * $width;
                $weights[] = (float) $count;
            }
        }
        $total = array_sum($weights);
        // values lie anywhere within their bin
        $least = $width ** 2 / 12;
        $classes = self::started($values, $weights, $splits, $least);
        $before = -INF;
        for ($round = 0; $round < self::ROUNDS && $classes !== null; $round++) {
            [$weight, $sum, $squares, $likelihood] = self::expected($values, $weights, $classes);
            $classes = self::maximised($weight, $sum, $squares, $least);
            if ($likelihood - $before < self::SETTLED * $total) {
                break;
            }
            $before = $likelihood;
        }
        if ($classes === null) {
            return null;
        }
        usort($classes, fn (array $one, array $other): int => $one['mean'] <=> $other['mean']);

        return new self($classes);
    }

    /**
     * Where, going up or down from the mean of a class, the others together become as likely as it is: the limit of Bayes' rule for least error.
     *
     * @return float|null null where they do not before $end
     */
    public function limit(int $class, float $end): ?float
    {
        $from = $this->classes[$class]['mean'];
        $excess = function (float $value) use ($class): float {
            $own = self::density($this->classes[$class], $value);
            $others = array_sum(array_map(fn (array $one): float => self::density($one, $value), array_diff_key($this->classes, [$class => true])));

            return $others - $own;
        };
        $steps = 2048;
        for ($step = 1; $step <= $steps; $step++) {
            $to = $from + ($end - $from) * $step / $steps;
            if ($excess($to) >= 0.0) {
                $near = $from + ($end - $from) * ($step - 1) / $steps;
                for ($half = 0; $half < 40; $half++) {
                    $middle = 0.5 * ($near + $to);
                    $excess($middle) >= 0.0 ? $to = $middle : $near = $middle;
                }

                return $to;
            }
        }

        return null;
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $weights
     * @param  list<float>  $splits
     * @return non-empty-list<array{share: float, mean: float, deviation: float}>|null
     */
    private static function started(array $values, array $weights, array $splits, float $least): ?array
    {
        $weight = $sum = $squares = array_fill(0, count($splits) + 1, 0.0);
        foreach ($values as $i => $value) {
            $class = count(array_filter($splits, fn (float $split): bool => $value > $split));
            $weight[$class] += $weights[$i];
            $sum[$class] += $weights[$i] * $value;
            $squares[$class] += $weights[$i] * $value * $value;
        }

        return self::maximised($weight, $sum, $squares, $least);
    }

    /**
     * What each class has of the values, and the logarithm of the likelihood of all.
     *
     * @param  list<float>  $values
     * @param  list<float>  $weights
     * @param  non-empty-list<array{share: float, mean: float, deviation: float}>  $classes
     * @return array{array<float>, array<float>, array<float>, float} weight, sum and sum of squares of each class
     */
    private static function expected(array $values, array $weights, array $classes): array
    {
        $weight = $sum = $squares = array_fill(0, count($classes), 0.0);
        $likelihood = 0.0;
        foreach ($values as $i => $value) {
            $densities = array_map(fn (array $class): float => self::density($class, $value), $classes);
            $all = array_sum($densities);
            if ($all <= 0.0) {
                // too far from every class for a float: it belongs to the nearest
                $apart = array_map(fn (array $class): float => abs($value - $class['mean']) / $class['deviation'], $classes);
                $densities[(int) array_search(min($apart), $apart, true)] = $all = 1e-300;
            }
            $likelihood += $weights[$i] * log($all);
            foreach ($densities as $k => $density) {
                $part = $weights[$i] * $density / $all;
                $weight[$k] += $part;
                $sum[$k] += $part * $value;
                $squares[$k] += $part * $value * $value;
            }
        }

        return [$weight, $sum, $squares, $likelihood];
    }

    /**
     * @param  array<float>  $weight
     * @param  array<float>  $sum
     * @param  array<float>  $squares
     * @return non-empty-list<array{share: float, mean: float, deviation: float}>|null
     */
    private static function maximised(array $weight, array $sum, array $squares, float $least): ?array
    {
        $total = array_sum($weight);
        $classes = [];
        foreach ($weight as $k => $own) {
            if (! ($own > self::LEAST_SHARE * $total)) {
                return null;
            }
            $mean = $sum[$k] / $own;
            $classes[] = ['share' => $own / $total, 'mean' => $mean, 'deviation' => sqrt(max($least, $squares[$k] / $own - $mean * $mean))];
        }

        return $classes === [] || $least <= 0.0 ? null : $classes;
    }

    /** @param  array{share: float, mean: float, deviation: float}  $class */
    private static function density(array $class, float $value): float
    {
        $z = ($value - $class['mean']) / $class['deviation'];

        return $class['share'] / ($class['deviation'] * sqrt(2 * M_PI)) * exp(-0.5 * $z * $z);
    }
}
