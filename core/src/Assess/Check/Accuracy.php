<?php

namespace Chorometra\Core\Assess\Check;

/**
 * What is read off the counts of an error matrix, each point for one. Rows are the map, columns the reference.
 *
 * Sources: Congalton 1991, Remote Sensing of Environment 37:35–46, for overall, user's and producer's accuracy and kappa; Bishop,
 * Fienberg & Holland 1975, Discrete Multivariate Analysis, for the variance of kappa by the delta method (the textbook's figure with
 * swapped marginals is not followed); Pontius & Millones 2011, International Journal of Remote Sensing 32:4407–4429, for quantity and
 * allocation disagreement. What a sample says of the whole map is told by Estimates.
 */
final readonly class Accuracy
{
    public float $total;

    /** @var list<float> */
    public array $rowSums;

    /** @var list<float> */
    public array $columnSums;

    /** @param  array<int, array<int, int|float>>  $matrix square, counts of points, rows and columns from 0 */
    public function __construct(public array $matrix)
    {
        $this->rowSums = array_map(fn (array $row): float => (float) array_sum($row), $matrix);
        $this->columnSums = array_map(fn (int $j): float => (float) array_sum(array_column($matrix, $j)), array_keys($matrix));
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

    private function trace(): float
    {
        $sum = 0.0;
        foreach ($this->matrix as $i => $row) {
            $sum += $row[$i];
        }

        return $sum;
    }
}
