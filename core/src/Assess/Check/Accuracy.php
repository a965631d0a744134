<?php

namespace Chorometra\Core\Assess\Check;

/**
 * Everything that is read off an error matrix. Rows are the map, columns the reference.
 *
 * Sources: Congalton 1991, Remote Sensing of Environment 37:35–46, for overall, user's and producer's accuracy and kappa; Bishop,
 * Fienberg & Holland 1975, Discrete Multivariate Analysis, for the variance of kappa by the delta method (the textbook's figure with
 * swapped marginals is not followed); Pontius & Millones 2011, International Journal of Remote Sensing 32:4407–4429, for quantity and
 * allocation disagreement; Olofsson et al. 2014, Remote Sensing of Environment 148:42–57, for area-adjusted estimates.
 */
final readonly class Accuracy
{
    private int $size;

    public float $total;

    /** @var list<float> */
    public array $rowSums;

    /** @var list<float> */
    public array $columnSums;

    /** @param  array<int, array<int, int|float>>  $matrix square, counts of points, rows and columns from 0 */
    public function __construct(public array $matrix)
    {
        $this->size = count($matrix);
        $this->rowSums = array_map(fn (array $row): float => (float) array_sum($row), $matrix);
        $this->columnSums = array_map(fn (int $j): float => (float) array_sum(array_column($matrix, $j)), $this->size > 0 ? range(0, $this->size - 1) : []);
        $this->total = array_sum($this->rowSums);
    }

    public function overall(): ?float
    {
        return $this->total > 0 ? $this->trace() / $this->total : null;
    }

    /** @return list<float|null> share of the map's class that is right; null where the map has no point of it */
    public function users(): array
    {
        return array_map(fn (int $i): ?float => $this->rowSums[$i] > 0 ? $this->matrix[$i][$i] / $this->rowSums[$i] : null, array_keys($this->matrix));
    }

    /** @return list<float|null> share of the reference class that the map found */
    public function producers(): array
    {
        return array_map(fn (int $i): ?float => $this->columnSums[$i] > 0 ? $this->matrix[$i][$i] / $this->columnSums[$i] : null, array_keys($this->matrix));
    }

    /** @return list<float|null> harmonic mean of user's and producer's accuracy */
    public function f1(): array
    {
        return array_map(
            fn (int $i): ?float => $this->rowSums[$i] + $this->columnSums[$i] > 0
                ? (2 * $this->matrix[$i][$i]) / ($this->rowSums[$i] + $this->columnSums[$i])
                : null,
            array_keys($this->matrix),
        );
    }

    /** @return array{kappa: float, variance: float}|null null where chance alone agrees fully */
    public function kappa(): ?array
    {
        $n = $this->total;
        if ($n <= 0) {
            return null;
        }
        $t1 = $this->trace() / $n;
        $t2 = 0.0;
        $t3 = 0.0;
        $t4 = 0.0;
        foreach ($this->matrix as $i => $row) {
            $t2 += $this->rowSums[$i] * $this->columnSums[$i] / $n ** 2;
            $t3 += $row[$i] * ($this->rowSums[$i] + $this->columnSums[$i]) / $n ** 2;
            foreach ($row as $j => $count) {
                $t4 += $count * ($this->rowSums[$j] + $this->columnSums[$i]) ** 2 / $n ** 3;
            }
        }
        if ($t2 >= 1.0) {
            return null;
        }

        return [
            'kappa' => ($t1 - $t2) / (1 - $t2),
            'variance' => ($t1 * (1 - $t1) / (1 - $t2) ** 2
                + 2 * (1 - $t1) * (2 * $t1 * $t2 - $t3) / (1 - $t2) ** 3
                + (1 - $t1) ** 2 * ($t4 - 4 * $t2 ** 2) / (1 - $t2) ** 4) / $n,
        ];
    }

    /** @return array{quantity: float, allocation: float}|null */
    public function disagreement(): ?array
    {
        if ($this->total <= 0) {
            return null;
        }
        $quantity = 0.0;
        $allocation = 0.0;
        foreach ($this->matrix as $i => $row) {
            $quantity += abs($this->rowSums[$i] - $this->columnSums[$i]) / 2;
            $allocation += min($this->rowSums[$i] - $row[$i], $this->columnSums[$i] - $row[$i]);
        }

        return ['quantity' => $quantity / $this->total, 'allocation' => $allocation / $this->total];
    }

    /**
     * Estimates for points drawn from each mapped class: weights are the mapped shares. Half-widths are of 95 % intervals.
     *
     * @param  list<float>  $areas  what each class covers in the map, in any unit, in the order of the rows
     * @return array{
     *     overall: float,
     *     overallHalf: float,
     *     classes: list<array{users: float, usersHalf: float, producers: float|null, producersHalf: float|null, share: float, shareHalf: float}>
     * }|null  null where a mapped class has fewer than two points
     */
    public function adjusted(array $areas): ?array
    {
        $all = array_sum($areas);
        foreach ($areas as $i => $count) {
            if ($count > 0 && $this->rowSums[$i] < 2) {
                return null;
            }
        }
        if ($all <= 0) {
            return null;
        }
        $share = fn (int $i, int $j): float => $this->rowSums[$i] > 0 ? $this->matrix[$i][$j] / $this->rowSums[$i] : 0.0;
        $weight = array_map(fn (float $count): float => $count / $all, $areas);
        $overall = 0.0;
        $overallVariance = 0.0;
        $classes = [];
        for ($k = 0; $k < $this->size; $k++) {
            $users = $share($k, $k);
            $usersVariance = $this->rowSums[$k] > 1 ? $users * (1 - $users) / ($this->rowSums[$k] - 1) : 0.0;
            $overall += $weight[$k] * $users;
            $overallVariance += $weight[$k] ** 2 * $usersVariance;
            $area = 0.0;
            $areaVariance = 0.0;
            for ($i = 0; $i < $this->size; $i++) {
                $area += $weight[$i] * $share($i, $k);
                $areaVariance += $this->rowSums[$i] > 1 ? $weight[$i] ** 2 * $share($i, $k) * (1 - $share($i, $k)) / ($this->rowSums[$i] - 1) : 0.0;
            }
            $producers = $area > 0 ? $weight[$k] * $users / $area : null;
            $producersVariance = null;
            if ($producers !== null) {
                $others = 0.0;
                for ($i = 0; $i < $this->size; $i++) {
                    $others += $i !== $k && $this->rowSums[$i] > 1 ? $areas[$i] ** 2 * $share($i, $k) * (1 - $share($i, $k)) / ($this->rowSums[$i] - 1) : 0.0;
                }
                $producersVariance = ($areas[$k] ** 2 * (1 - $producers) ** 2 * $usersVariance + $producers ** 2 * $others) / ($area * $all) ** 2;
            }
            $classes[] = [
                'users' => $users,
                'usersHalf' => 1.96 * sqrt($usersVariance),
                'producers' => $producers,
                'producersHalf' => $producersVariance === null ? null : 1.96 * sqrt($producersVariance),
                'share' => $area,
                'shareHalf' => 1.96 * sqrt($areaVariance),
            ];
        }

        return ['overall' => $overall, 'overallHalf' => 1.96 * sqrt($overallVariance), 'classes' => $classes];
    }

    private function trace(): float
    {
        $sum = 0.0;
        foreach ($this->matrix as $i => $row) {
            $sum += $row[$i];
        }

        return $sum;
    }
}
