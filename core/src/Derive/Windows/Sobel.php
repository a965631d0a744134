<?php

namespace Chorometra\Core\Derive\Windows;

/** Size of the slope by Sobel's weighted differences. A neighbour without a value counts as the pixel itself: a hole is no edge. */
final class Sobel
{
    /**
     * @param  list<float>  $padded  $rows of $width pixels, with one more on every side
     * @return list<float> NaN where the pixel itself is
     */
    public static function of(array $padded, int $width, int $rows): array
    {
        $wide = $width + 2;
        $out = array_fill(0, $rows * $width, NAN);
        for ($row = 0, $at = 0; $row < $rows; $row++) {
            for ($col = 0, $k = ($row + 1) * $wide + 1; $col < $width; $col++, $k++, $at++) {
                $m = $padded[$k];
                $a = $padded[$k - $wide - 1];
                $b = $padded[$k - $wide];
                $c = $padded[$k - $wide + 1];
                $d = $padded[$k - 1];
                $e = $padded[$k + 1];
                $f = $padded[$k + $wide - 1];
                $g = $padded[$k + $wide];
                $h = $padded[$k + $wide + 1];
                $across = $c + 2.0 * $e + $h - $a - 2.0 * $d - $f;
                $down = $f + 2.0 * $g + $h - $a - 2.0 * $b - $c;
                $slope = sqrt($across * $across + $down * $down);
                $out[$at] = $slope === $slope ? $slope : self::holed([$a, $b, $c, $d, $e, $f, $g, $h], $m);
            }
        }

        return $out;
    }

    /** @param  list<float>  $around  row by row */
    private static function holed(array $around, float $own): float
    {
        [$a, $b, $c, $d, $e, $f, $g, $h] = array_map(fn (float $value): float => is_nan($value) ? $own : $value, $around);

        return hypot($c + 2.0 * $e + $h - $a - 2.0 * $d - $f, $f + 2.0 * $g + $h - $a - 2.0 * $b - $c);
    }
}
