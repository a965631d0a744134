<?php

namespace Chorometra\Core\Stats;

/** A normal distribution of several variables: means, covariances, and what follows from them for distances. */
final readonly class Normal
{
    /** What a pivot has to have of its variable's own variance: less is rounding. */
    private const LEAST_PIVOT = 1e-10;

    /**
     * @param  list<float>  $means
     * @param  list<list<float>>  $covariances
     * @param  list<list<float>>  $whitening  lower triangular W with WᵀW the inverse of the covariances: |W(x − m)|² is the squared distance
     * @param  float  $logDeterminant  of the covariances
     */
    private function __construct(public array $means, public array $covariances, public array $whitening, public float $logDeterminant) {}

    /**
     * @param  list<float>  $means
     * @param  list<list<float>>  $covariances  symmetric
     * @return self|list<int> or the variables that are alike there: one that does not vary, or one and what it follows from most
     */
    public static function of(array $means, array $covariances): self|array
    {
        $n = count($means);
        $lower = array_fill(0, $n, array_fill(0, $n, 0.0));
        $log = 0.0;
        for ($i = 0; $i < $n; $i++) {
            for ($j = 0; $j <= $i; $j++) {
                $sum = $covariances[$i][$j];
                for ($k = 0; $k < $j; $k++) {
                    $sum -= $lower[$i][$k] * $lower[$j][$k];
                }
                if ($j < $i) {
                    $lower[$i][$j] = $sum / $lower[$j][$j];
                } elseif ($sum > self::LEAST_PIVOT * $covariances[$i][$i] && is_finite($sum)) {
                    $lower[$i][$i] = sqrt($sum);
                    $log += log($sum);
                } else {
                    return self::alike($covariances, $i);
                }
            }
        }

        return new self($means, $covariances, self::inverse($lower, $n), $log);
    }

    /** @param  list<float>  $x */
    public function squaredDistance(array $x): float
    {
        $squares = 0.0;
        foreach ($this->whitening as $i => $row) {
            $sum = 0.0;
            for ($j = 0; $j <= $i; $j++) {
                $sum += $row[$j] * ($x[$j] - $this->means[$j]);
            }
            $squares += $sum * $sum;
        }

        return $squares;
    }

    /** @return list<list<float>> the inverse of the covariances */
    public function precision(): array
    {
        $n = count($this->means);
        $inverse = array_fill(0, $n, array_fill(0, $n, 0.0));
        for ($i = 0; $i < $n; $i++) {
            for ($j = 0; $j < $n; $j++) {
                for ($k = max($i, $j); $k < $n; $k++) {
                    $inverse[$i][$j] += $this->whitening[$k][$i] * $this->whitening[$k][$j];
                }
            }
        }

        return $inverse;
    }

    /**
     * @param  list<list<float>>  $covariances
     * @return list<int>
     */
    private static function alike(array $covariances, int $at): array
    {
        $best = $at;
        $most = 0.0;
        for ($other = 0; $other < $at; $other++) {
            $both = $covariances[$at][$at] * $covariances[$other][$other];
            $correlation = $both > 0.0 ? abs($covariances[$at][$other]) / sqrt($both) : 0.0;
            if ($correlation > $most) {
                [$best, $most] = [$other, $correlation];
            }
        }

        return $best === $at ? [$at] : [$best, $at];
    }

    /**
     * @param  list<list<float>>  $lower
     * @return list<list<float>>
     */
    private static function inverse(array $lower, int $n): array
    {
        $inverse = array_fill(0, $n, array_fill(0, $n, 0.0));
        for ($i = 0; $i < $n; $i++) {
            $inverse[$i][$i] = 1.0 / $lower[$i][$i];
            for ($j = 0; $j < $i; $j++) {
                $sum = 0.0;
                for ($k = $j; $k < $i; $k++) {
                    $sum += $lower[$i][$k] * $inverse[$k][$j];
                }
                $inverse[$i][$j] = -$sum / $lower[$i][$i];
            }
        }

        return $inverse;
    }
}
