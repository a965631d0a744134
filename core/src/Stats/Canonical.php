<?php

namespace Chorometra\Core\Stats;

/**
 * Canonical correlations of two sets of as many variables: weighted sums of each that go together as well as can be, the best first.
 *
 * Source: Hotelling 1936, Biometrika 28:321–377; by whitening each set (Cholesky) and taking the cross-covariance apart, Björck & Golub 1973,
 * Mathematics of Computation 27:579–594 (from memory).
 */
final readonly class Canonical
{
    /** A variable of which less than this part is its own, beside the others of its set, makes the set one that can't be solved. */
    private const OWN = 1e-12;

    /**
     * @param  list<float>  $correlations  falling
     * @param  list<list<float>>  $one  by pair, the weights of the first set; sums have variance 1
     * @param  list<list<float>>  $other  those of the second
     */
    private function __construct(public array $correlations, public array $one, public array $other) {}

    /**
     * Signs are such that each sum of the first set goes along with its variables on the whole, and with the sum of the second.
     *
     * @param  list<list<float>>  $covariances  of the first set's variables, then the second's
     * @return self|null null where a variable of a set is made of the others
     */
    public static function of(array $covariances): ?self
    {
        $n = intdiv(count($covariances), 2);
        $block = fn (int $row, int $col): array => array_map(fn (array $line): array => array_slice($line, $col, $n), array_slice($covariances, $row, $n));
        [$first, $second] = [self::lower($block(0, 0)), self::lower($block($n, $n))];
        if ($first === null || $second === null) {
            return null;
        }
        // K = L₁⁻¹ S₁₂ L₂⁻ᵀ, whose singular values are the correlations
        $half = array_map(fn (int $col): array => self::forward($first, array_column($block(0, $n), $col)), range(0, $n - 1));
        $k = [];
        for ($i = 0; $i < $n; $i++) {
            $k[] = self::forward($second, array_column($half, $i));
        }
        $square = array_map(fn (array $row): array => array_map(fn (array $other): float => self::dot($row, $other), $k), $k);
        [$values, $vectors] = Eigen::symmetric($square);
        $correlations = $one = $other = [];
        foreach ($vectors as $i => $u) {
            $v = array_map(fn (int $j): float => self::dot($u, array_column($k, $j)), range(0, $n - 1));
            $length = sqrt(self::dot($v, $v));
            $correlations[] = min(1.0, sqrt(max(0.0, $values[$i])));
            $a = self::backward($first, $u);
            // sets without anything in common have no second sum of their own
            $b = $length > 0.0 ? self::backward($second, array_map(fn (float $part): float => $part / $length, $v)) : array_fill(0, $n, 0.0);
            $along = 0.0;
            for ($j = 0; $j < $n; $j++) {
                $along += self::dot(array_slice($covariances[$j], 0, $n), $a) / sqrt($covariances[$j][$j]);
            }
            $sign = $along < 0.0 ? -1.0 : 1.0;
            $one[] = array_map(fn (float $weight): float => $sign * $weight, $a);
            $other[] = array_map(fn (float $weight): float => $sign * $weight, $b);
        }

        return new self($correlations, $one, $other);
    }

    /**
     * The lower triangle L with L·Lᵀ = $m.
     *
     * @param  list<list<float>>  $m
     * @return list<list<float>>|null
     */
    private static function lower(array $m): ?array
    {
        $n = count($m);
        $l = array_fill(0, $n, array_fill(0, $n, 0.0));
        for ($i = 0; $i < $n; $i++) {
            for ($j = 0; $j <= $i; $j++) {
                $rest = $m[$i][$j];
                for ($k = 0; $k < $j; $k++) {
                    $rest -= $l[$i][$k] * $l[$j][$k];
                }
                if ($i === $j && ! ($rest > self::OWN * $m[$i][$i])) {
                    return null;
                }
                $l[$i][$j] = $i === $j ? sqrt($rest) : $rest / $l[$j][$j];
            }
        }

        return $l;
    }

    /**
     * x of L·x = y.
     *
     * @param  list<list<float>>  $l
     * @param  list<float>  $y
     * @return list<float>
     */
    private static function forward(array $l, array $y): array
    {
        foreach ($y as $i => $value) {
            for ($j = 0; $j < $i; $j++) {
                $value -= $l[$i][$j] * $y[$j];
            }
            $y[$i] = $value / $l[$i][$i];
        }

        return $y;
    }

    /**
     * x of Lᵀ·x = y.
     *
     * @param  list<list<float>>  $l
     * @param  list<float>  $y
     * @return list<float>
     */
    private static function backward(array $l, array $y): array
    {
        for ($i = count($y) - 1; $i >= 0; $i--) {
            for ($j = $i + 1; $j < count($y); $j++) {
                $y[$i] -= $l[$j][$i] * $y[$j];
            }
            $y[$i] /= $l[$i][$i];
        }

        return array_values($y);
    }

    /**
     * @param  list<float>  $one
     * @param  list<float>  $other
     */
    private static function dot(array $one, array $other): float
    {
        return (float) array_sum(array_map(fn (float $a, float $b): float => $a * $b, $one, $other));
    }
}
