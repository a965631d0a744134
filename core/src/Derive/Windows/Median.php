<?php

namespace Chorometra\Core\Derive\Windows;

/** The middle value of square windows, nodata left out; of an even number the mean of the two in the middle. */
final class Median
{
    /**
     * @param  list<float>  $padded  $rows of $width pixels, with half of $size more on every side
     * @return list<float> NaN where all is nodata
     */
    public static function of(array $padded, int $width, int $rows, int $size): array
    {
        $wide = $width + $size - 1;
        $out = array_fill(0, $rows * $width, NAN);
        for ($row = 0, $at = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $width; $col++, $at++) {
                $window = self::window($padded, $row * $wide + $col, $wide, $size);
                sort($window);
                $count = count($window);
                if ($count > 0) {
                    $middle = $count >> 1;
                    $out[$at] = ($count & 1) === 1 ? $window[$middle] : 0.5 * ($window[$middle - 1] + $window[$middle]);
                }
            }
        }

        return $out;
    }

    /**
     * What is valid of a window whose upper left is at $from, in rows of $wide.
     *
     * @param  list<float>  $values
     * @return list<float>
     */
    private static function window(array $values, int $from, int $wide, int $size): array
    {
        $out = [];
        for ($row = 0; $row < $size; $row++) {
            for ($i = $from + $row * $wide, $end = $i + $size; $i < $end; $i++) {
                if ($values[$i] === $values[$i]) {
                    $out[] = $values[$i];
                }
            }
        }

        return $out;
    }
}
