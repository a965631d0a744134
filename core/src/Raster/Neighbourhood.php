<?php

namespace Chorometra\Core\Raster;

/** Means and variances of square windows around each pixel of a block of rows. The edge's pixels are repeated beyond it, nodata is left out. */
final class Neighbourhood
{
    /**
     * The block with $margin more pixels on every side.
     *
     * @param  list<float>  $values  with the rows of the halo
     * @return list<float> of (width + 2 margin) columns and (rows + 2 margin) rows
     */
    public static function padded(array $values, RowBlock $rows, int $margin): array
    {
        $width = $rows->width;
        $last = $rows->above + $rows->rows + $rows->below - 1;
        $lines = [];
        $out = [];
        for ($row = $rows->above - $margin; $row < $rows->above + $rows->rows + $margin; $row++) {
            $from = max(0, min($last, $row));
            if (! isset($lines[$from])) {
                $line = array_slice($values, $from * $width, $width);
                $lines[$from] = [...array_fill(0, $margin, $line[0]), ...$line, ...array_fill(0, $margin, $line[$width - 1])];
            }
            array_push($out, ...$lines[$from]);
        }

        return $out;
    }

    /**
     * @param  list<float>  $padded  by a margin of half the size
     * @return list<float> mean of each pixel's window; NaN where all is nodata
     */
    public static function means(array $padded, int $width, int $rows, int $size): array
    {
        return self::isWhole($padded) ? self::wholeMeans($padded, $width, $rows, $size) : self::holed($padded, $width, $rows, $size)[0];
    }

    /**
     * Every window is summed anew, from what its columns are: a sum that moves along keeps the rounding of all that it has left, so that
     * one outlier would spoil the rest of the row. Deviations are taken from a value of the window itself, so that an offset cancels nothing.
     *
     * Source: Chan, Golub & LeVeque 1983, Algorithms for computing the sample variance, The American Statistician 37:242–247.
     *
     * @param  list<float>  $padded  by a margin of half the size
     * @return array{list<float>, list<float>} mean and variance (divided by the number) of each pixel's window; NaN where all is nodata
     */
    public static function moments(array $padded, int $width, int $rows, int $size): array
    {
        return self::isWhole($padded) ? self::whole($padded, $width, $rows, $size) : self::holed($padded, $width, $rows, $size);
    }

    /**
     * Whether there is no nodata at all.
     *
     * @param  list<float>  $padded
     */
    private static function isWhole(array $padded): bool
    {
        // one pass: a sum that is no number
        return ! is_nan(array_sum($padded));
    }

    /**
     * @param  list<float>  $padded
     * @return list<float>
     */
    private static function wholeMeans(array $padded, int $width, int $rows, int $size): array
    {
        $stride = $width + $size - 1;
        $means = [];
        $share = 1.0 / ($size * $size);
        $sums = array_fill(0, $stride, 0.0);
        for ($row = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $stride; $col++) {
                $sum = 0.0;
                for ($k = $row * $stride + $col, $end = $k + $size * $stride; $k < $end; $k += $stride) {
                    $sum += $padded[$k];
                }
                $sums[$col] = $sum;
            }
            for ($col = 0; $col < $width; $col++) {
                $sum = 0.0;
                for ($c = $col, $end = $col + $size; $c < $end; $c++) {
                    $sum += $sums[$c];
                }
                $means[] = $sum * $share;
            }
        }

        return $means;
    }

    /**
     * @param  list<float>  $padded
     * @return array{list<float>, list<float>}
     */
    private static function whole(array $padded, int $width, int $rows, int $size): array
    {
        $stride = $width + $size - 1;
        $means = $variances = [];
        $share = 1.0 / $size;
        $columns = $spreads = array_fill(0, $stride, 0.0);
        for ($row = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $stride; $col++) {
                $k = $row * $stride + $col;
                $first = $padded[$k];
                $sum = $square = 0.0;
                for ($end = $k + $size * $stride, $k += $stride; $k < $end; $k += $stride) {
                    $far = $padded[$k] - $first;
                    $sum += $far;
                    $square += $far * $far;
                }
                $columns[$col] = $first + $sum * $share;
                // mean of the squared deviations from the column's own mean
                $spreads[$col] = ($square - $sum * $sum * $share) * $share;
            }
            for ($col = 0; $col < $width; $col++) {
                $first = $columns[$col];
                $within = $spreads[$col];
                $sum = $square = 0.0;
                for ($c = $col + 1, $end = $col + $size; $c < $end; $c++) {
                    $far = $columns[$c] - $first;
                    $sum += $far;
                    $square += $far * $far;
                    $within += $spreads[$c];
                }
                $means[] = $first + $sum * $share;
                $variance = ($within + $square - $sum * $sum * $share) * $share;
                $variances[] = $variance > 0.0 ? $variance : 0.0;
            }
        }

        return [$means, $variances];
    }

    /**
     * @param  list<float>  $padded
     * @return array{list<float>, list<float>}
     */
    private static function holed(array $padded, int $width, int $rows, int $size): array
    {
        $stride = $width + $size - 1;
        $means = $variances = [];
        $columns = $spreads = $counts = array_fill(0, $stride, 0.0);
        for ($row = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $stride; $col++) {
                $first = $sum = $square = $count = 0.0;
                for ($k = $row * $stride + $col, $end = $k + $size * $stride; $k < $end; $k += $stride) {
                    $value = $padded[$k];
                    if ($value === $value) {
                        $first = $count > 0.5 ? $first : $value;
                        $far = $value - $first;
                        $sum += $far;
                        $square += $far * $far;
                        $count += 1.0;
                    }
                }
                $share = $count > 0.5 ? 1.0 / $count : 0.0;
                $columns[$col] = $first + $sum * $share;
                // sum of the squared deviations from the column's own mean
                $spreads[$col] = $square - $sum * $sum * $share;
                $counts[$col] = $count;
            }
            for ($col = 0; $col < $width; $col++) {
                $first = $sum = $square = $within = $number = 0.0;
                for ($c = $col, $end = $col + $size; $c < $end; $c++) {
                    $count = $counts[$c];
                    if ($count > 0.5) {
                        $first = $number > 0.5 ? $first : $columns[$c];
                        $far = $columns[$c] - $first;
                        $sum += $count * $far;
                        $square += $count * $far * $far;
                        $within += $spreads[$c];
                        $number += $count;
                    }
                }
                if ($number > 0.5) {
                    $means[] = $first + $sum / $number;
                    $variance = ($within + $square - $sum * $sum / $number) / $number;
                    $variances[] = $variance > 0.0 ? $variance : 0.0;
                } else {
                    $means[] = NAN;
                    $variances[] = NAN;
                }
            }
        }

        return [$means, $variances];
    }
}
