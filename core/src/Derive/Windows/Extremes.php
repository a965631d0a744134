<?php

namespace Chorometra\Core\Derive\Windows;

/**
 * The least or the greatest of square windows, nodata left out: along columns, then along rows. However large the window, a pixel takes three
 * comparisons each way.
 *
 * Source: van Herk 1992, Pattern Recognition Letters 13:517–521; Gil & Werman 1993, IEEE PAMI 15:504–507 (from memory).
 */
final class Extremes
{
    /**
     * @param  list<float>  $padded  $rows of $width pixels, with half of $size more on every side
     * @return list<float> NaN where all is nodata
     */
    public static function of(array $padded, int $width, int $rows, int $size, bool $greatest): array
    {
        $wide = $width + $size - 1;
        $high = $rows + $size - 1;
        // the greatest is the least of what is turned round
        $sign = $greatest ? -1.0 : 1.0;
        for ($i = 0, $count = $wide * $high; $i < $count; $i++) {
            $padded[$i] = $padded[$i] === $padded[$i] ? $sign * $padded[$i] : INF;
        }
        $least = self::least($padded, $wide, $high, $wide, 1, $size, 1);
        $least = self::least($least, $rows, $wide, 1, $wide, $size, $width);
        for ($i = 0, $count = $rows * $width; $i < $count; $i++) {
            $least[$i] = $least[$i] < INF ? $sign * $least[$i] : NAN;
        }

        return $least;
    }

    /**
     * The least of each $size numbers in a row, along $lines of $length.
     *
     * @param  list<float>  $values
     * @param  int  $along  distance of two numbers of a line
     * @param  int  $across  distance of two lines
     * @param  int  $made  distance of two lines of the result where they stand side by side as rows, 1 where they are columns
     * @return list<float>
     */
    private static function least(array $values, int $lines, int $length, int $along, int $across, int $size, int $made): array
    {
        $kept = $length - $size + 1;
        $out = array_fill(0, $lines * $kept, 0.0);
        $step = $made === 1 ? $lines : 1;
        $before = $after = array_fill(0, $length, 0.0);
        for ($line = 0; $line < $lines; $line++) {
            $from = $line * $across;
            // the least since the block began, and until it ends
            for ($i = 0; $i < $length; $i++) {
                $value = $values[$from + $i * $along];
                $before[$i] = $i % $size === 0 || $value < $before[$i - 1] ? $value : $before[$i - 1];
            }
            for ($i = $length - 1; $i >= 0; $i--) {
                $value = $values[$from + $i * $along];
                $after[$i] = $i === $length - 1 || ($i + 1) % $size === 0 || $value < $after[$i + 1] ? $value : $after[$i + 1];
            }
            for ($i = 0, $at = $line * $made, $end = $size - 1; $i < $kept; $i++, $at += $step, $end++) {
                $out[$at] = $after[$i] < $before[$end] ? $after[$i] : $before[$end];
            }
        }

        return $out;
    }
}
