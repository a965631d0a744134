<?php

namespace Chorometra\Core\Derive\Dates;

/** One value per pixel out of those of several dates. */
final class Pick
{
    /**
     * Which dates a pixel has: all bands valid, and not left out by the mask.
     *
     * @param  list<list<float>>  $bands  of one date
     * @param  list<float>|null  $mask  codes, NaN for none
     * @param  array<int, true>  $left  codes that are left out
     * @return list<int> 1 or 0
     */
    public static function usable(array $bands, int $count, ?array $mask, array $left): array
    {
        $usable = array_fill(0, $count, 1);
        foreach ($bands as $values) {
            for ($i = 0; $i < $count; $i++) {
                if ($values[$i] !== $values[$i]) {
                    $usable[$i] = 0;
                }
            }
        }
        for ($i = 0; $mask !== null && $i < $count; $i++) {
            if ($mask[$i] !== $mask[$i] || isset($left[(int) $mask[$i]])) {
                $usable[$i] = 0;
            }
        }

        return $usable;
    }

    /**
     * @param  list<list<int>>  $usable  by date
     * @return list<int> how many dates each pixel has
     */
    public static function numbers(array $usable, int $count): array
    {
        $numbers = array_fill(0, $count, 0);
        foreach ($usable as $one) {
            for ($i = 0; $i < $count; $i++) {
                $numbers[$i] += $one[$i];
            }
        }

        return $numbers;
    }

    /**
     * The last of the dates, in their order.
     *
     * @param  list<list<int>>  $usable
     * @return list<int> the date by number from 1, 0 for none
     */
    public static function last(array $usable, int $count): array
    {
        $taken = array_fill(0, $count, 0);
        foreach ($usable as $date => $one) {
            for ($i = 0; $i < $count; $i++) {
                if ($one[$i] === 1) {
                    $taken[$i] = $date + 1;
                }
            }
        }

        return $taken;
    }

    /**
     * The date on which a measure is greatest; of several alike the last. Where the measure is nodata, the date does not count.
     *
     * @param  list<list<int>>  $usable
     * @param  list<list<float>>  $measures
     * @return list<int>
     */
    public static function greatest(array $usable, array $measures, int $count, float $sign): array
    {
        $taken = array_fill(0, $count, 0);
        $best = array_fill(0, $count, -INF);
        foreach ($usable as $date => $one) {
            $values = $measures[$date];
            for ($i = 0; $i < $count; $i++) {
                $value = $sign * $values[$i];
                if ($one[$i] === 1 && $value >= $best[$i]) {
                    $best[$i] = $value;
                    $taken[$i] = $date + 1;
                }
            }
        }

        return $taken;
    }

    /**
     * Values of the dates taken.
     *
     * @param  list<list<float>>  $dates  of one band
     * @param  list<int>  $taken
     * @return list<float> NaN where none is
     */
    public static function of(array $dates, array $taken, int $count): array
    {
        $out = array_fill(0, $count, NAN);
        foreach ($dates as $date => $values) {
            $number = $date + 1;
            for ($i = 0; $i < $count; $i++) {
                if ($taken[$i] === $number) {
                    $out[$i] = $values[$i];
                }
            }
        }

        return $out;
    }

    /**
     * The middle value of the usable dates; of an even number the mean of the two in the middle.
     *
     * @param  list<list<float>>  $dates  of one band
     * @param  list<list<int>>  $usable
     * @return list<float>
     */
    public static function median(array $dates, array $usable, int $count): array
    {
        $out = array_fill(0, $count, NAN);
        for ($i = 0; $i < $count; $i++) {
            $values = [];
            foreach ($usable as $date => $one) {
                if ($one[$i] === 1) {
                    $values[] = $dates[$date][$i];
                }
            }
            $number = count($values);
            if ($number > 0) {
                sort($values);
                $middle = $number >> 1;
                $out[$i] = ($number & 1) === 1 ? $values[$middle] : 0.5 * ($values[$middle - 1] + $values[$middle]);
            }
        }

        return $out;
    }
}
