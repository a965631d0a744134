<?php

namespace Chorometra\Core\Correct\Repair;

use Chorometra\Core\Raster\RowBlock;

/** Pixels that stand out of the eight around them. */
final class PixelOutliers
{
    /** Differences of pixels kept of each block to take their spread from. */
    private const SAMPLE = 2048;

    /**
     * Differences of some pixels from the median of their neighbours.
     *
     * @param  list<float>  $values
     * @return list<float>
     */
    public static function sample(array $values, RowBlock $rows): array
    {
        $step = max(1, intdiv($rows->rows * $rows->width, self::SAMPLE));
        $out = [];
        for ($i = intdiv($step, 2), $count = $rows->rows * $rows->width; $i < $count; $i += $step) {
            $difference = $values[$rows->above * $rows->width + $i] - self::median($values, $rows, $i % $rows->width, $rows->above + intdiv($i, $rows->width));
            if ($difference === $difference) {
                $out[] = $difference;
            }
        }

        return $out;
    }

    /** @param  list<float>  $values */
    private static function median(array $values, RowBlock $rows, int $col, int $row): float
    {
        $around = [];
        for ($y = max(0, $row - 1), $last = min($rows->above + $rows->rows + $rows->below - 1, $row + 1); $y <= $last; $y++) {
            for ($x = max(0, $col - 1), $end = min($rows->width - 1, $col + 1); $x <= $end; $x++) {
                if ($x !== $col || $y !== $row) {
                    $value = $values[$y * $rows->width + $x];
                    if ($value === $value) {
                        $around[] = $value;
                    }
                }
            }
        }
        sort($around);
        $n = count($around);

        return $n < 3 ? NAN : 0.5 * ($around[intdiv($n - 1, 2)] + $around[intdiv($n, 2)]);
    }

    /**
     * @param  list<float>  $own
     * @param  list<float>  $values  with the halo
     * @param  list<int>  $codes  changed
     * @return list<float>
     */
    public static function pixels(array $own, array $values, RowBlock $rows, float $limit, array &$codes, bool $repair): array
    {
        $width = $rows->width;
        $start = $rows->above * $width;
        $all = $rows->above + $rows->rows + $rows->below;
        foreach ($own as $i => $value) {
            if ($value !== $value) {
                continue;
            }
            // quick look: within the limit of any two neighbours beside it, it is no outlier among the eight
            $k = $start + $i;
            $col = $i % $width;
            $near = 0;
            foreach ([$col > 0 ? $k - 1 : -1, $col + 1 < $width ? $k + 1 : -1, $k - $width, $k + $width < $all * $width ? $k + $width : -1] as $beside) {
                if ($beside > -1) {
                    $difference = $value - $values[$beside];
                    $near += $difference < $limit && $difference > -$limit ? 1 : 0;
                }
            }
            if ($near >= 3) {
                continue;
            }
            $median = self::median($values, $rows, $col, $rows->above + intdiv($i, $width));
            $difference = $value - $median;
            if ($difference > $limit || $difference < -$limit) {
                $codes[$i] = $codes[$i] === 1 ? 3 : $codes[$i];
                if ($repair) {
                    $own[$i] = $median;
                }
            }
        }

        return $own;
    }
}
