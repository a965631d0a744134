<?php

namespace Chorometra\Core\Assess\Check;

/**
 * What a sample says of the whole map: each stratum weighs what it covers. Rows are the map, columns the reference.
 *
 * Every figure is a ratio of two means over all ground, of which the sampled ones are known: with the map's classes as strata these are the
 * estimators of Olofsson et al. 2014, Remote Sensing of Environment 148:42–57; with other strata those of Stehman 2014, International
 * Journal of Remote Sensing 35:4923–4939; of one stratum, those of simple random sampling. Kappa in strata: Stehman 1996, Photogrammetric
 * Engineering & Remote Sensing 62:401–407, by the delta method with the unbiased variances of each stratum. Quantity and allocation:
 * Pontius & Millones 2011, International Journal of Remote Sensing 32:4407–4429. All from memory, checked against worked examples.
 *
 * An estimate is its value and half the width of its 95 % interval, each null where the sample can't say it.
 *
 * @phpstan-type Estimate array{value: float|null, half: float|null}
 */
final readonly class Estimates
{
    private const DEVIATIONS = 1.96;

    /** @var list<list<array{int, int, float}>> by stratum its cells with points: class of the map, of the reference, and how many */
    private array $cells;

    /** @var list<float> points by stratum */
    private array $points;

    /** @var list<array{int, int, float}>|null the cells of all strata, with their shares of all ground; null where a stratum has no point */
    private ?array $known;

    /**
     * @param  list<array<int, array<int, int|float>>>  $strata  of each its matrix of points; rows and cells without a point may be left out
     * @param  list<float>  $weights  shares of all ground, by stratum
     * @param  int  $size  how many classes there are
     */
    public function __construct(array $strata, private array $weights, private int $size)
    {
        $cells = $points = $shares = [];
        $isWhole = array_sum($weights) > 0.0;
        foreach ($strata as $h => $matrix) {
            $own = [];
            foreach ($matrix as $i => $row) {
                foreach (array_filter($row) as $j => $count) {
                    $own[] = [$i, $j, (float) $count];
                }
            }
            $cells[] = $own;
            $points[] = $all = (float) array_sum(array_column($own, 2));
            $isWhole = $isWhole && ($weights[$h] <= 0.0 || $all > 0.0);
            foreach ($weights[$h] > 0.0 ? $own : [] as [$i, $j, $count]) {
                $shares["$i $j"] = [$i, $j, ($shares["$i $j"][2] ?? 0.0) + $weights[$h] * $count / $all];
            }
        }
        [$this->cells, $this->points] = [$cells, $points];
        $this->known = $isWhole ? array_values($shares) : null;
    }

    /** @return array<int, array<int, float>>|null shares of all ground, by class of the map and of the reference; null where a stratum has no point */
    public function shares(): ?array
    {
        if ($this->known === null) {
            return null;
        }
        $shares = array_fill(0, $this->size, array_fill(0, $this->size, 0.0));
        foreach ($this->known as [$i, $j, $share]) {
            $shares[$i][$j] = $share;
        }

        return $shares;
    }

    /** @return Estimate */
    public function overall(): array
    {
        return $this->ratio(fn (int $i, int $j): int => (int) ($i === $j), fn (int $i, int $j): int => 1);
    }

    /** @return Estimate of what the map calls the class, the share that is right */
    public function users(int $class): array
    {
        return $this->ratio(
            fn (int $i, int $j): int => (int) ($i === $class && $j === $class),
            fn (int $i, int $j): int => (int) ($i === $class),
            fn (int $h): bool => in_array($class, array_column($this->cells[$h], 0), true),
        );
    }

    /** @return Estimate of what is the class, the share that the map found */
    public function producers(int $class): array
    {
        return $this->ratio(fn (int $i, int $j): int => (int) ($i === $class && $j === $class), fn (int $i, int $j): int => (int) ($j === $class));
    }

    /** @return Estimate the harmonic mean of both */
    public function f1(int $class): array
    {
        return $this->ratio(
            fn (int $i, int $j): int => $i === $class && $j === $class ? 2 : 0,
            fn (int $i, int $j): int => (int) ($i === $class) + (int) ($j === $class),
        );
    }

    /** @return Estimate the share of all ground that is the class, whatever the map says */
    public function area(int $class): array
    {
        return $this->ratio(fn (int $i, int $j): int => (int) ($j === $class), fn (int $i, int $j): int => 1);
    }

    /** @return Estimate the share of all ground that the map calls the class, less the share that is it */
    public function overstated(int $class): array
    {
        return $this->ratio(fn (int $i, int $j): int => (int) ($i === $class) - (int) ($j === $class), fn (int $i, int $j): int => 1);
    }

    /** @return Estimate */
    public function kappa(): array
    {
        [$rows, $columns, $right] = $this->margins();
        $chance = array_sum(array_map(fn (float $row, float $column): float => $row * $column, $rows, $columns));
        if ($this->known === null || $chance >= 1.0 - 1e-12) {
            return ['value' => null, 'half' => null];
        }
        $overall = array_sum($right);

        return [
            'value' => ($overall - $chance) / (1.0 - $chance),
            // how kappa moves with the share of each cell
            'half' => $this->half(
                fn (int $i, int $j): float => ((int) ($i === $j) * (1.0 - $chance) - (1.0 - $overall) * ($columns[$i] + $rows[$j])) / (1.0 - $chance) ** 2,
            ),
        ];
    }

    /** @return array{quantity: float, allocation: float}|null */
    public function disagreement(): ?array
    {
        if ($this->known === null) {
            return null;
        }
        [$rows, $columns, $right] = $this->margins();
        $quantity = $allocation = 0.0;
        foreach ($rows as $k => $row) {
            $quantity += abs($row - $columns[$k]) / 2.0;
            $allocation += min($row, $columns[$k]) - $right[$k];
        }

        return ['quantity' => $quantity, 'allocation' => $allocation];
    }

    /** @return array{list<float>, list<float>, list<float>} shares of all ground by class: of the map, of the reference, and of both */
    private function margins(): array
    {
        $rows = $columns = $right = array_fill(0, $this->size, 0.0);
        foreach ($this->known ?? [] as [$i, $j, $share]) {
            $rows[$i] += $share;
            $columns[$j] += $share;
            $right[$i] += $i === $j ? $share : 0.0;
        }

        return [$rows, $columns, $right];
    }

    /**
     * @param  callable(int, int): int  $above  by class of the map and of the reference
     * @param  callable(int, int): int  $below
     * @param  (callable(int): bool)|null  $matters  whether a stratum holds any of what stands below; each may where it is not given
     * @return Estimate
     */
    private function ratio(callable $above, callable $below, ?callable $matters = null): array
    {
        $y = $x = 0.0;
        foreach ($this->known ?? [] as [$i, $j, $share]) {
            $y += $share * $above($i, $j);
            $x += $share * $below($i, $j);
        }
        if ($x <= 0.0) {
            return ['value' => null, 'half' => null];
        }
        $ratio = $y / $x;

        return ['value' => $ratio, 'half' => $this->half(fn (int $i, int $j): float => ($above($i, $j) - $ratio * $below($i, $j)) / $x, $matters)];
    }

    /** @return list<int>|null points by stratum that would halve the interval of overall accuracy, drawn where they tell most; null where there is none */
    public function moreForOverall(): ?array
    {
        $overall = $this->overall()['value'];

        return $overall === null ? null : $this->more(fn (int $i, int $j): float => (int) ($i === $j) - $overall);
    }

    /** @return list<int>|null the same for the area of a class */
    public function moreForArea(int $class): ?array
    {
        $area = $this->area($class)['value'];

        return $area === null ? null : $this->more(fn (int $i, int $j): float => (int) ($j === $class) - $area);
    }

    /**
     * Points to come, each where it takes most from the variance: n_h in one proportion to what stratum h scatters and weighs, but never fewer than there
     * are (Neyman, Cochran 1977, chapter 5; from memory). A quarter of the variance is half the interval.
     *
     * @param  callable(int, int): float  $value
     * @return list<int>|null
     */
    private function more(callable $value): ?array
    {
        $scatter = $this->scatter($value);
        if ($scatter === null || $scatter === [] || max(array_column($scatter, 0)) <= 0.0) {
            return null;
        }
        $variance = fn (float $factor): float => array_sum(array_map(
            fn (array $one): float => $one[0] ** 2 / max($one[1], $factor * $one[0], 1e-300),
            $scatter,
        ));
        $goal = 0.25 * $variance(0.0);
        [$low, $high] = [0.0, 1.0];
        while ($variance($high) > $goal) {
            $high *= 2.0;
        }
        for ($round = 0; $round < 60; $round++) {
            $middle = 0.5 * ($low + $high);
            $variance($middle) > $goal ? $low = $middle : $high = $middle;
        }
        $more = array_fill(0, count($this->cells), 0);
        foreach ($scatter as $h => [$deviation, $points]) {
            $more[$h] = (int) ceil(max(0.0, $high * $deviation - $points) - 1e-6);
        }

        return $more;
    }

    /**
     * Half the interval of what is, near the estimate, a mean of values by cell.
     *
     * @param  callable(int, int): float  $value
     * @param  (callable(int): bool)|null  $matters
     */
    private function half(callable $value, ?callable $matters = null): ?float
    {
        $scatter = $this->scatter($value, $matters);

        return $scatter === null ? null : self::DEVIATIONS * sqrt(array_sum(array_map(fn (array $one): float => $one[0] ** 2 / $one[1], $scatter)));
    }

    /**
     * What each stratum scatters: the deviation of the values times what it weighs, and how many points there are.
     *
     * @param  callable(int, int): float  $value
     * @param  (callable(int): bool)|null  $matters
     * @return array<int, array{float, float}>|null null where a stratum has fewer than two points
     */
    private function scatter(callable $value, ?callable $matters = null): ?array
    {
        $scatter = [];
        foreach ($this->cells as $h => $cells) {
            $n = $this->points[$h];
            if ($this->weights[$h] <= 0.0 || ($matters !== null && ! $matters($h))) {
                continue;
            }
            if ($n < 2.0) {
                return null;
            }
            $counts = array_column($cells, 2);
            $values = array_map(fn (array $cell): float => $value($cell[0], $cell[1]), $cells);
            $mean = array_sum(array_map(fn (float $count, float $one): float => $count * $one, $counts, $values)) / $n;
            // where all are alike rounding must not scatter
            $squares = max($values) > min($values)
                ? array_sum(array_map(fn (float $count, float $one): float => $count * ($one - $mean) ** 2, $counts, $values))
                : 0.0;
            $scatter[$h] = [$this->weights[$h] * sqrt($squares / ($n - 1.0)), $n];
        }

        return $scatter;
    }
}
