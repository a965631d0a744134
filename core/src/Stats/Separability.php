<?php

namespace Chorometra\Core\Stats;

/**
 * How well two classes part, each taken to be normally distributed. Both measures run from 0, not at all, to 2, wholly.
 *
 * Source: Swain & Davis 1978, Remote Sensing: The Quantitative Approach, chapter 3; Richards & Jia, Remote Sensing Digital Image Analysis, chapter on
 * feature reduction (Jeffries–Matusita distance as the integral of (√p − √q)², and transformed divergence scaled to 2; from memory).
 */
final class Separability
{
    /** 2 (1 − e^−B), with B the Bhattacharyya distance. */
    public static function jeffriesMatusita(Normal $one, Normal $other): float
    {
        $mean = array_map(
            fn (array $a, array $b): array => array_map(fn (float $x, float $y): float => 0.5 * ($x + $y), $a, $b),
            $one->covariances,
            $other->covariances,
        );
        $between = Normal::of($one->means, $mean);
        if (! $between instanceof Normal) {
            return NAN;
        }
        $apart = 0.125 * $between->squaredDistance($other->means) + 0.5 * ($between->logDeterminant - 0.5 * ($one->logDeterminant + $other->logDeterminant));

        return 2.0 * (1.0 - exp(-max(0.0, $apart)));
    }

    /** 2 (1 − e^(−D/8)), with D the divergence. */
    public static function transformedDivergence(Normal $one, Normal $other): float
    {
        [$p, $q] = [$one->precision(), $other->precision()];
        $divergence = 0.0;
        foreach ($p as $i => $row) {
            $di = $one->means[$i] - $other->means[$i];
            foreach ($row as $j => $value) {
                $dj = $one->means[$j] - $other->means[$j];
                $divergence += 0.5 * ($one->covariances[$i][$j] - $other->covariances[$i][$j]) * ($q[$j][$i] - $value);
                $divergence += 0.5 * ($value + $q[$i][$j]) * $di * $dj;
            }
        }

        return 2.0 * (1.0 - exp(-0.125 * max(0.0, $divergence)));
    }
}
