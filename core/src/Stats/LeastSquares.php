<?php

namespace Chorometra\Core\Stats;

/** Linear least squares by the normal equations, for a handful of unknowns of like size. */
final class LeastSquares
{
    /**
     * @param  list<list<float>>  $rows  of the design
     * @param  list<float>  $values
     * @return list<float>|null the unknowns; null where the rows do not determine them
     */
    public static function solve(array $rows, array $values): ?array
    {
        $n = count($rows[0] ?? []);
        if ($n === 0 || count($rows) < $n) {
            return null;
        }
        $matrix = array_fill(0, $n, array_fill(0, $n + 1, 0.0));
        foreach ($rows as $k => $row) {
            foreach ($row as $i => $a) {
                foreach ($row as $j => $b) {
                    $matrix[$i][$j] += $a * $b;
                }
                $matrix[$i][$n] += $a * $values[$k];
            }
        }

        return self::eliminate($matrix, $n);
    }

    /**
     * @param  list<list<float>>  $m
     * @return list<float>|null
     */
    private static function eliminate(array $m, int $n): ?array
    {
        $largest = max(array_map(fn (array $row): float => max(array_map(abs(...), array_slice($row, 0, $n))), $m));
        for ($i = 0; $i < $n; $i++) {
            $best = $i;
            for ($j = $i + 1; $j < $n; $j++) {
                $best = abs($m[$j][$i]) > abs($m[$best][$i]) ? $j : $best;
            }
            if (abs($m[$best][$i]) < 1e-12 * $largest) {
                return null;
            }
            [$m[$i], $m[$best]] = [$m[$best], $m[$i]];
            for ($j = 0; $j < $n; $j++) {
                if ($j !== $i) {
                    $factor = $m[$j][$i] / $m[$i][$i];
                    for ($k = $i; $k <= $n; $k++) {
                        $m[$j][$k] -= $factor * $m[$i][$k];
                    }
                }
            }
        }

        return array_map(fn (int $i): float => $m[$i][$n] / $m[$i][$i], range(0, $n - 1));
    }
}
