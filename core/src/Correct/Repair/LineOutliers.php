<?php

namespace Chorometra\Core\Correct\Repair;

use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Stats\Robust;

/** Lines of an image that differ from their neighbours by more than lines there do. */
final class LineOutliers
{
    /** Lines next to each other that can be bridged. */
    public const REACH = 4;

    /** Pixels of a line that are compared at most. */
    private const ACROSS = 512;

    /**
     * By row of the image: the median of its differences from the row below, null where there is none, and how many pixels are valid.
     *
     * @param  list<float>  $values
     * @return array<int, array{float|null, int}>
     */
    public static function lines(array $values, RowBlock $rows): array
    {
        $width = $rows->width;
        $step = max(1, intdiv($width, self::ACROSS));
        $told = [];
        for ($row = 0; $row < $rows->rows; $row++) {
            $at = ($row + $rows->above) * $width;
            $isLast = $row + 1 >= $rows->rows + $rows->below;
            $differences = [];
            $valid = 0;
            for ($col = intdiv($step, 2); $col < $width; $col += $step) {
                $valid += $values[$at + $col] === $values[$at + $col] ? 1 : 0;
                $difference = $isLast ? NAN : $values[$at + $col] - $values[$at + $width + $col];
                if (! is_nan($difference)) {
                    $differences[] = $difference;
                }
            }
            sort($differences);
            $told[$rows->first + $row] = [$differences === [] ? null : $differences[intdiv(count($differences), 2)], $valid];
        }

        return $told;
    }

    /**
     * The worst line first, and what lies beside it judged anew without it.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @return array{bad: array<int, float|null>, spread: float} rows and by how many deviations; null for a line that is lost
     */
    public static function outliers(array $lines, float $limit): array
    {
        ksort($lines);
        $bad = [];
        foreach ($lines as $row => [, $valid]) {
            if (2 * $valid < max($lines[$row - 1][1] ?? 0, $lines[$row + 1][1] ?? 0)) {
                $bad[$row] = null;
            }
        }
        $away = $between = [];
        foreach (array_keys($lines) as $row) {
            $away[$row] = self::away($lines, $row, $bad);
            $between[] = self::between($lines, $row, $bad);
        }
        [$middle, $spread] = Robust::spread(array_values(array_filter($between, fn (?float $value): bool => $value !== null)));
        $floor = max($spread, 1e-9 * (1 + abs($middle)));
        while (true) {
            $worst = null;
            $most = $limit * $floor;
            foreach ($away as $row => $value) {
                if ($value !== null && ! array_key_exists($row, $bad) && abs($value - $middle) > $most) {
                    $most = abs($value - $middle);
                    $worst = $row;
                }
            }
            if ($worst === null) {
                return ['bad' => $bad, 'spread' => $spread];
            }
            $worst = self::culprit($lines, $worst, $bad, $away, $middle, $limit * $floor);
            $bad[$worst] = min(1e6, abs(($away[$worst] ?? 0.0) - $middle) / $floor);
            for ($row = $worst - self::REACH; $row <= $worst + self::REACH; $row++) {
                if (isset($lines[$row])) {
                    $away[$row] = self::away($lines, $row, $bad);
                }
            }
        }
    }

    /**
     * Of a row that stands out and one beside it, the one without which the other does not.
     *
     * $row of the block; $middle and $limit, of what a line differs by from those beside it.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @param  array<int, float|null>  $bad
     * @param  array<int, float|null>  $away
     */
    private static function culprit(array $lines, int $row, array $bad, array $away, float $middle, float $limit): int
    {
        $stands = fn (int $one, int $without): bool => abs((self::away($lines, $one, $bad + [$without => null]) ?? INF) - $middle) > $limit;
        foreach ([$row - 1, $row + 1, $row - 2, $row + 2] as $other) {
            if (abs(($away[$other] ?? $middle) - $middle) > $limit && ! array_key_exists($other, $bad) && ! $stands($row, $other) && $stands($other, $row)) {
                return $other;
            }
        }

        return $row;
    }

    /**
     * How far a row stands out from both sides: off the good ones above and those below the same way, the lesser of the two. Beside a step
     * that goes across the image a row differs from one side only, but for what rows around differ anyway. The row beside it may be bad
     * with it, so that one is passed over too.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @param  array<int, float|null>  $bad
     */
    private static function away(array $lines, int $row, array $bad): ?float
    {
        [$above, $below] = [self::good($lines, $row, -1, $bad), self::good($lines, $row, 1, $bad)];
        $between = self::between($lines, $row, $bad);
        if ($above === [] || $below === []) {
            $near = ($above[0] ?? $below[0] ?? [0, 0.0])[1];

            return $between === null ? null : self::beyond(self::lesser($between, $near), self::usual($lines, $row));
        }
        $most = 0.0;
        foreach ($above as $i => [, $up]) {
            foreach ($below as $j => [, $down]) {
                $least = $i + $j < 2 ? self::lesser($up, $down) : 0.0;
                $most = abs($least) > abs($most) ? $least : $most;
            }
        }

        return self::beyond($most, self::usual($lines, $row));
    }

    /**
     * By how much two rows differ that lie two apart, around a row.
     *
     * @param  array<int, array{float|null, int}>  $lines
     */
    private static function usual(array $lines, int $row): float
    {
        $steps = [];
        for ($other = $row - self::REACH; $other < $row + self::REACH; $other++) {
            if (isset($lines[$other][0])) {
                $steps[] = abs($lines[$other][0]);
            }
        }
        sort($steps);

        return $steps === [] ? 0.0 : 2 * $steps[intdiv(count($steps) - 1, 2)];
    }

    private static function beyond(float $value, float $least): float
    {
        return abs($value) <= $least ? 0.0 : $value - $least * ($value <=> 0.0);
    }

    /** The one nearer to 0 of two numbers; 0 where one lies on each side. */
    private static function lesser(float $one, float $other): float
    {
        return $one * $other <= 0.0 ? 0.0 : (abs($one) < abs($other) ? $one : $other);
    }

    /**
     * How far a row is off the line through the nearest good ones above and below; through two on one side where the other has none.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @param  array<int, float|null>  $bad
     */
    private static function between(array $lines, int $row, array $bad): ?float
    {
        $sides = [self::good($lines, $row, -1, $bad), self::good($lines, $row, 1, $bad)];
        if ($sides[0] !== [] && $sides[1] !== []) {
            [[$k, $above], [$m, $below]] = [$sides[0][0], $sides[1][0]];

            return ($above * $m + $below * $k) / ($k + $m);
        }
        foreach ($sides as $side) {
            if (count($side) === 2) {
                [[$k, $near], [$m, $far]] = $side;

                return $near - ($far - $near) * $k / ($m - $k);
            }
        }

        return null;
    }

    /**
     * Up to two good rows on one side: how far they are, and by how much the row is above them.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @param  array<int, float|null>  $bad
     * @return list<array{int, float}>
     */
    private static function good(array $lines, int $row, int $way, array $bad): array
    {
        $found = [];
        $sum = 0.0;
        for ($other = $row; abs($other - $row) < self::REACH && isset($lines[$other + $way]);) {
            $step = $lines[$way > 0 ? $other : $other - 1][0];
            if ($step === null) {
                break;
            }
            $sum += $way * $step;
            $other += $way;
            if (! array_key_exists($other, $bad) && array_push($found, [abs($other - $row), $sum]) === 2) {
                break;
            }
        }

        return $found;
    }
}
