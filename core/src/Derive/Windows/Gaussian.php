<?php

namespace Chorometra\Core\Derive\Windows;

/** Means weighted by a bell that is cut at four deviations, along columns and then along rows; nodata is left out of sum and weights. */
final class Gaussian
{
    private const CUT = 4.0;

    /** Pixels that the bell reaches each way. */
    public static function reach(float $sigma): int
    {
        return max(1, (int) (self::CUT * $sigma + 0.5));
    }

    /** @return list<float> from one end to the other, adding up to 1 */
    public static function weights(float $sigma): array
    {
        $weights = [];
        for ($k = -self::reach($sigma); $k <= self::reach($sigma); $k++) {
            $weights[] = exp(-0.5 * ($k / $sigma) ** 2);
        }
        $sum = array_sum($weights);

        return array_map(fn (float $weight): float => $weight / $sum, $weights);
    }

    /**
     * @param  list<float>  $padded  $rows of $width pixels, with as many more on every side as the bell reaches
     * @return list<float> NaN where all is nodata
     */
    public static function smooth(array $padded, int $width, int $rows, float $sigma): array
    {
        $weights = self::weights($sigma);
        $taps = count($weights);
        $wide = $width + $taps - 1;
        $high = $rows + $taps - 1;
        $holes = self::holes($padded, $wide * $high);
        if ($holes === null) {
            return self::across(self::down($padded, $weights, $wide, $rows, $taps), $weights, $width, $rows, $taps);
        }
        [$filled, $there] = $holes;
        $sums = self::across(self::down($filled, $weights, $wide, $rows, $taps), $weights, $width, $rows, $taps);
        $shares = self::across(self::down($there, $weights, $wide, $rows, $taps), $weights, $width, $rows, $taps);
        foreach ($sums as $i => $sum) {
            $sums[$i] = $shares[$i] > 1e-12 ? $sum / $shares[$i] : NAN;
        }

        return $sums;
    }

    /**
     * Values with 0 for nodata, and 1 where there is a value; null where there is one everywhere.
     *
     * @param  list<float>  $values
     * @return array{list<float>, list<float>}|null
     */
    private static function holes(array $values, int $count): ?array
    {
        if (! is_nan((float) array_sum($values))) {
            return null;
        }
        $there = array_fill(0, $count, 1.0);
        for ($i = 0; $i < $count; $i++) {
            if ($values[$i] !== $values[$i]) {
                $values[$i] = 0.0;
                $there[$i] = 0.0;
            }
        }

        return [$values, $there];
    }

    /**
     * $rows of $wide columns, each the weighted sum of $taps rows; those as far above as below weigh the same.
     *
     * @param  list<float>  $values
     * @param  list<float>  $weights
     * @return list<float>
     */
    private static function down(array $values, array $weights, int $wide, int $rows, int $taps): array
    {
        $half = $taps >> 1;
        $out = array_fill(0, $rows * $wide, 0.0);
        for ($row = 0; $row < $rows; $row++) {
            $first = $row * $wide;
            $end = $first + $wide;
            $weight = $weights[$half];
            for ($i = $first, $j = $i + $half * $wide; $i < $end; $i++, $j++) {
                $out[$i] = $weight * $values[$j];
            }
            for ($k = 0; $k < $half; $k++) {
                $weight = $weights[$k];
                for ($i = $first, $j = $i + $k * $wide, $m = $i + ($taps - 1 - $k) * $wide; $i < $end; $i++, $j++, $m++) {
                    $out[$i] += $weight * ($values[$j] + $values[$m]);
                }
            }
        }

        return $out;
    }

    /**
     * $rows of $width columns, each the weighted sum of $taps columns; those as far to the left as to the right weigh the same.
     *
     * @param  list<float>  $values
     * @param  list<float>  $weights
     * @return list<float>
     */
    private static function across(array $values, array $weights, int $width, int $rows, int $taps): array
    {
        $half = $taps >> 1;
        $middle = $weights[$half];
        $out = array_fill(0, $rows * $width, 0.0);
        for ($row = 0, $at = 0; $row < $rows; $row++) {
            for ($col = 0, $from = $row * ($width + $taps - 1); $col < $width; $col++, $from++, $at++) {
                $sum = $middle * $values[$from + $half];
                for ($k = 0, $i = $from, $j = $from + $taps - 1; $k < $half; $k++, $i++, $j--) {
                    $sum += $weights[$k] * ($values[$i] + $values[$j]);
                }
                $out[$at] = $sum;
            }
        }

        return $out;
    }
}
