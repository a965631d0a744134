<?php

namespace Chorometra\Core\Segment\Merging;

/** Regions as MergeKernel works on them, out of the pixels that belong to each. */
final class RegionRecords
{
    /**
     * @param  list<list<float>>  $bands  as they are merged
     * @param  list<int>  $numbers  for each pixel that of its region from 1 to $count, 0 for none
     * @param  int  $rows  that count; of one more only who touches from above is looked at
     * @param  int  $col  column of the first pixel in the image
     * @return list<float>
     */
    public static function of(array $bands, array $numbers, int $count, int $width, int $rows, int $col, int $row, float $compact, float $smooth): array
    {
        $pixels = array_fill(0, $count + 1, 0);
        $same = $pixels;
        $left = $top = array_fill(0, $count + 1, PHP_INT_MAX);
        $right = $bottom = array_fill(0, $count + 1, -1);
        self::shapes($numbers, $width, $rows, count($numbers), $pixels, $same, $left, $right, $top, $bottom);
        $moments = array_map(fn (array $values): array => self::moments($numbers, $values, $width * $rows, $count), $bands);
        $own = array_fill(0, $count + 1, 0.0);
        foreach ($moments as $k => [, $sum, $squares]) {
            self::vary($own, $sum, $squares, $pixels, $count);
            $moments[$k][1] = $sum;
            $moments[$k][2] = $squares;
        }
        $records = [];
        for ($k = 1; $k <= $count; $k++) {
            $n = 1.0 * $pixels[$k];
            $l = 4.0 * $n - 2.0 * $same[$k];
            $records[] = $n;
            $records[] = $l;
            $records[] = 1.0 * ($col + $left[$k]);
            $records[] = 1.0 * ($col + $right[$k]);
            $records[] = 1.0 * ($row + $top[$k]);
            $records[] = 1.0 * ($row + $bottom[$k]);
            $box = 2.0 * ($right[$k] - $left[$k] + $bottom[$k] - $top[$k] + 2.0);
            $records[] = $own[$k] + $compact * $l * sqrt($n) + $smooth * $n * $l / $box;
            foreach ($moments as [$shift, $sum, $squares]) {
                $records[] = $shift[$k] + $sum[$k];
                $records[] = $squares[$k];
            }
        }

        return $records;
    }

    /**
     * From sums to what the mean differs by, and squared deviations; what they cost is added up.
     *
     * @param  list<float>  $own
     * @param  list<float>  $sum
     * @param  list<float>  $squares
     * @param  list<int>  $pixels
     */
    private static function vary(array &$own, array &$sum, array &$squares, array $pixels, int $count): void
    {
        for ($k = 1; $k <= $count; $k++) {
            $n = $pixels[$k];
            $mean = $sum[$k] / $n;
            $apart = $squares[$k] - $mean * $sum[$k];
            if ($apart < 0.0) {
                $apart = 0.0;
            }
            $own[$k] += sqrt($n * $apart);
            $sum[$k] = $mean;
            $squares[$k] = $apart;
        }
    }

    /**
     * @param  list<int>  $numbers
     * @param  list<int>  $pixels
     * @param  list<int>  $same  sides within each
     * @param  list<int>  $left
     * @param  list<int>  $right
     * @param  list<int>  $top
     * @param  list<int>  $bottom
     */
    private static function shapes(
        array $numbers,
        int $width,
        int $rows,
        int $all,
        array &$pixels,
        array &$same,
        array &$left,
        array &$right,
        array &$top,
        array &$bottom,
    ): void {
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            $before = 0;
            for ($col = 0; $col < $width; $col++, $i++) {
                $k = $numbers[$i];
                if ($k > 0) {
                    $pixels[$k]++;
                    if ($k === $before) {
                        $same[$k]++;
                    }
                    if ($i + $width < $all && $numbers[$i + $width] === $k) {
                        $same[$k]++;
                    }
                    if ($col < $left[$k]) {
                        $left[$k] = $col;
                    }
                    if ($col > $right[$k]) {
                        $right[$k] = $col;
                    }
                    if ($row < $top[$k]) {
                        $top[$k] = $row;
                    }
                    $bottom[$k] = $row;
                }
                $before = $k;
            }
        }
    }

    /**
     * Sums of what values differ from the first of each region, and of its square.
     *
     * @param  list<int>  $numbers
     * @param  list<float>  $values
     * @return array{list<float>, list<float>, list<float>}
     */
    private static function moments(array $numbers, array $values, int $pixels, int $count): array
    {
        $shift = array_fill(0, $count + 1, NAN);
        $sum = $squares = array_fill(0, $count + 1, 0.0);
        for ($i = 0; $i < $pixels; $i++) {
            $k = $numbers[$i];
            if ($k > 0) {
                $first = $shift[$k];
                if ($first !== $first) {
                    $shift[$k] = $values[$i];
                } else {
                    $d = $values[$i] - $first;
                    $sum[$k] += $d;
                    $squares[$k] += $d * $d;
                }
            }
        }

        return [$shift, $sum, $squares];
    }
}
