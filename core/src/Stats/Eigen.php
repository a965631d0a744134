<?php

namespace Chorometra\Core\Stats;

/**
 * Eigenvalues and eigenvectors of a symmetric matrix by cyclic rotations.
 *
 * Source: Jacobi 1846, Journal für die reine und angewandte Mathematik 30:51–94; Golub & Van Loan, Matrix Computations, 8.5 (from memory).
 */
final class Eigen
{
    private const SWEEPS = 60;

    /**
     * @param  list<list<float>>  $m  symmetric
     * @return array{list<float>, list<list<float>>} values, falling, and the vector of each, of length 1, whose entry of largest size is positive
     */
    public static function symmetric(array $m): array
    {
        $n = count($m);
        $v = [];
        for ($i = 0; $i < $n; $i++) {
            $v[$i] = array_fill(0, $n, 0.0);
            $v[$i][$i] = 1.0;
        }
        $size = max(1e-300, array_sum(array_map(fn (array $row): float => array_sum(array_map(abs(...), $row)), $m)));
        for ($sweep = 0; $sweep < self::SWEEPS; $sweep++) {
            $left = 0.0;
            for ($p = 0; $p < $n - 1; $p++) {
                for ($q = $p + 1; $q < $n; $q++) {
                    $left = max($left, abs($m[$p][$q]));
                    if ($m[$p][$q] !== 0.0) {
                        self::rotate($m, $v, $p, $q, $n);
                    }
                }
            }
            if ($left <= 1e-18 * $size) {
                break;
            }
        }
        $values = array_map(fn (int $i): float => $m[$i][$i], array_keys($m));
        arsort($values);
        $vectors = array_map(fn (int $k): array => self::signed(array_column($v, $k)), array_keys($values));

        return [array_values($values), $vectors];
    }

    /**
     * Turns rows and columns $p and $q so that they have nothing in common any more.
     *
     * @param  array<int, array<int, float>>  $m
     * @param  array<int, array<int, float>>  $v
     */
    private static function rotate(array &$m, array &$v, int $p, int $q, int $n): void
    {
        $theta = ($m[$q][$q] - $m[$p][$p]) / (2.0 * $m[$p][$q]);
        $t = ($theta >= 0.0 ? 1.0 : -1.0) / (abs($theta) + sqrt($theta * $theta + 1.0));
        $c = 1.0 / sqrt($t * $t + 1.0);
        $s = $t * $c;
        for ($k = 0; $k < $n; $k++) {
            [$x, $y] = [$m[$k][$p], $m[$k][$q]];
            $m[$k][$p] = $c * $x - $s * $y;
            $m[$k][$q] = $s * $x + $c * $y;
        }
        for ($k = 0; $k < $n; $k++) {
            [$x, $y] = [$m[$p][$k], $m[$q][$k]];
            $m[$p][$k] = $c * $x - $s * $y;
            $m[$q][$k] = $s * $x + $c * $y;
            [$x, $y] = [$v[$k][$p], $v[$k][$q]];
            $v[$k][$p] = $c * $x - $s * $y;
            $v[$k][$q] = $s * $x + $c * $y;
        }
        $m[$p][$q] = $m[$q][$p] = 0.0;
    }

    /**
     * @param  list<float>  $vector
     * @return list<float>
     */
    private static function signed(array $vector): array
    {
        $largest = 0;
        foreach ($vector as $i => $entry) {
            // of two alike the first counts, whatever rounding makes of them
            $largest = abs($entry) > abs($vector[$largest]) * (1.0 + 1e-12) ? $i : $largest;
        }

        return $vector[$largest] < 0.0 ? array_map(fn (float $entry): float => -$entry, $vector) : $vector;
    }
}
