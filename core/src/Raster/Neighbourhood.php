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
    public static function padded(array $values, Rows $rows, int $margin): array
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
     * @return array{list<float>, list<float>} mean and variance (divided by the number) of each pixel's window; NaN where all is nodata
     */
    public static function moments(array $padded, int $width, int $rows, int $size): array
    {
        // one pass finds whether there is nodata at all: a sum that is no number
        $isWhole = ! is_nan(array_sum($padded));

        return $isWhole ? self::whole($padded, $width, $rows, $size) : self::holed($padded, $width, $rows, $size);
    }

    /**
     * @param  list<float>  $padded
     * @return array{list<float>, list<float>}
     */
    private static function whole(array $padded, int $width, int $rows, int $size): array
    {
        $stride = $width + $size - 1;
        $means = $variances = [];
        $share = 1.0 / ($size * $size);
        $sums = $squares = array_fill(0, $stride, 0.0);
        for ($row = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $stride; $col++) {
                $sum = $square = 0.0;
                for ($k = $row * $stride + $col, $end = $k + $size * $stride; $k < $end; $k += $stride) {
                    $value = $padded[$k];
                    $sum += $value;
                    $square += $value * $value;
                }
                $sums[$col] = $sum;
                $squares[$col] = $square;
            }
            $sum = $square = 0.0;
            for ($col = 0; $col < $size - 1; $col++) {
                $sum += $sums[$col];
                $square += $squares[$col];
            }
            for ($col = 0, $next = $size - 1; $next < $stride; $col++, $next++) {
                $sum += $sums[$next];
                $square += $squares[$next];
                $mean = $sum * $share;
                $variance = $square * $share - $mean * $mean;
                $means[] = $mean;
                $variances[] = $variance > 0.0 ? $variance : 0.0;
                $sum -= $sums[$col];
                $square -= $squares[$col];
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
        $sums = $squares = $counts = array_fill(0, $stride, 0.0);
        for ($row = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $stride; $col++) {
                $sum = $square = $count = 0.0;
                for ($k = $row * $stride + $col, $end = $k + $size * $stride; $k < $end; $k += $stride) {
                    $value = $padded[$k];
                    if ($value === $value) {
                        $sum += $value;
                        $square += $value * $value;
                        $count += 1.0;
                    }
                }
                $sums[$col] = $sum;
                $squares[$col] = $square;
                $counts[$col] = $count;
            }
            $sum = $square = $count = 0.0;
            for ($col = 0; $col < $size - 1; $col++) {
                $sum += $sums[$col];
                $square += $squares[$col];
                $count += $counts[$col];
            }
            for ($col = 0, $next = $size - 1; $next < $stride; $col++, $next++) {
                $sum += $sums[$next];
                $square += $squares[$next];
                $count += $counts[$next];
                if ($count > 0.5) {
                    $mean = $sum / $count;
                    $variance = $square / $count - $mean * $mean;
                    $means[] = $mean;
                    $variances[] = $variance > 0.0 ? $variance : 0.0;
                } else {
                    $means[] = NAN;
                    $variances[] = NAN;
                }
                $sum -= $sums[$col];
                $square -= $squares[$col];
                $count -= $counts[$col];
            }
        }

        return [$means, $variances];
    }
}
