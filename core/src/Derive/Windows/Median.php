<?php

namespace Chorometra\Core\Derive\Windows;

/**
 * The middle value of square windows, nodata left out; of an even number the mean of the two in the middle.
 *
 * Where values are whole numbers of some range, a histogram moves along and its middle is followed: Huang, Yang & Tang 1979, IEEE Transactions on
 * Acoustics, Speech, and Signal Processing 27:13–18 (from memory). Else each window is sorted.
 */
final class Median
{
    /** Whole numbers that a histogram may hold. */
    private const MOST_BINS = 1 << 16;

    /**
     * @param  list<float>  $padded  $rows of $width pixels, with half of $size more on every side
     * @return list<float> NaN where all is nodata
     */
    public static function of(array $padded, int $width, int $rows, int $size): array
    {
        $wide = $width + $size - 1;
        $whole = self::whole($padded, count($padded));
        if ($whole !== null) {
            return self::moving($whole[0], $width, $rows, $size, $whole[1], $whole[2]);
        }
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

    /**
     * Whole numbers counted from the least, one more than all for nodata; the least, and how many there may be. Null where there are others, or too
     * many.
     *
     * @param  list<float>  $values
     * @return array{list<int>, float, int}|null
     */
    private static function whole(array $values, int $count): ?array
    {
        $least = INF;
        $most = -INF;
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value < $least) {
                $least = $value;
            }
            if ($value > $most) {
                $most = $value;
            }
        }
        if (! ($most - $least < self::MOST_BINS)) {
            return null;
        }
        $number = (int) ($most - $least) + 1;
        $codes = array_fill(0, $count, $number);
        for ($i = 0; $i < $count; $i++) {
            if ($values[$i] === $values[$i]) {
                $code = (int) ($values[$i] - $least);
                if ($least + $code !== $values[$i]) {
                    return null;
                }
                $codes[$i] = $code;
            }
        }

        return [$codes, $least, $number];
    }

    /**
     * @param  list<int>  $codes  $rows of $width pixels, with half of $size more on every side; $number for nodata
     * @return list<float>
     */
    private static function moving(array $codes, int $width, int $rows, int $size, float $least, int $number): array
    {
        $wide = $width + $size - 1;
        $out = array_fill(0, $rows * $width, NAN);
        $all = $size * $size;
        // nodata has the last, which is above every middle
        $bins = array_fill(0, $number + 1, 0);
        for ($row = 0, $at = 0; $row < $rows; $row++) {
            $start = $row * $wide;
            $last = $start + ($size - 1) * $wide;
            // the middle as far as it is known, and how many lie below it
            $middle = $below = 0;
            for ($from = $start; $from <= $last; $from += $wide) {
                for ($i = $from, $end = $from + $size; $i < $end; $i++) {
                    $bins[$codes[$i]]++;
                }
            }
            for ($col = 0; $col < $width; $col++, $at++) {
                if ($col > 0) {
                    for ($i = $start + $col - 1, $end = $last + $col; $i < $end; $i += $wide) {
                        $code = $codes[$i];
                        $bins[$code]--;
                        if ($code < $middle) {
                            $below--;
                        }
                        $code = $codes[$i + $size];
                        $bins[$code]++;
                        if ($code < $middle) {
                            $below++;
                        }
                    }
                }
                $count = $all - $bins[$number];
                if ($count > 0) {
                    $half = ($count + 1) >> 1;
                    // fewer than half lie below the lower middle, and half or more up to it
                    while ($below >= $half) {
                        $middle--;
                        $below -= $bins[$middle];
                    }
                    while ($below + $bins[$middle] < $half) {
                        $below += $bins[$middle];
                        $middle++;
                    }
                    $upper = $middle;
                    if (($count & 1) === 0 && $below + $bins[$middle] === $half) {
                        do {
                            $upper++;
                        } while ($bins[$upper] === 0);
                    }
                    $out[$at] = $least + 0.5 * ($middle + $upper);
                }
            }
            for ($from = $start + $width - 1; $from <= $last + $width - 1; $from += $wide) {
                for ($i = $from, $end = $from + $size; $i < $end; $i++) {
                    $bins[$codes[$i]] = 0;
                }
            }
        }

        return $out;
    }
}
