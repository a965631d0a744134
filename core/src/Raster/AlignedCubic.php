<?php

namespace Chorometra\Core\Raster;

/**
 * Cubic convolution where columns depend on columns and rows on rows only: along rows first, then along columns. To the bit what it is pixel by
 * pixel (see Warped).
 */
final class AlignedCubic
{
    /**
     * @param  list<float>  $values  rows of $wide pixels, which begin at $col, $row of the image and reach far enough around all places
     * @param  list<float>  $cols  of the pixels wanted, inside the image
     * @param  list<float>  $rows
     * @return list<float> rows as long as $cols; NaN for nodata
     */
    public static function of(array $values, int $wide, int $col, int $row, array $cols, array $rows): array
    {
        $high = intdiv(count($values), $wide);
        $width = count($cols);
        [$first, $across] = self::weights($cols, $col);
        [$top, $down] = self::weights($rows, $row);
        $lines = self::along($values, $wide, $high, $width, $first, ...$across);
        $out = array_fill(0, $width * count($rows), 0.0);
        self::between($out, $lines, $width, count($rows), $top, ...$down);
        if (is_nan((float) array_sum($values))) {
            self::mend($out, $values, $wide, $col, $row, $cols, $rows);
        }

        return $out;
    }

    /**
     * The first of four pixels around each place, and the weights of all.
     *
     * @param  list<float>  $places
     * @return array{list<int>, array{list<float>, list<float>, list<float>, list<float>}}
     */
    private static function weights(array $places, int $from): array
    {
        $first = $a = $b = $c = $d = [];
        foreach ($places as $place) {
            // counted from beyond the edge, so that cutting off is rounding down
            $x = (int) ($place + 1.5) - 2;
            $s = $place - 0.5 - $x;
            $u = 1.0 - $s;
            $h = -0.5 * $s * $u;
            $f = $u - $h * (2.0 - 3.0 * $s);
            $first[] = $x - 1 - $from;
            $a[] = $h * $u;
            $b[] = $f;
            $c[] = 1.0 - $h - $f;
            $d[] = $h * $s;
        }

        return [$first, [$a, $b, $c, $d]];
    }

    /**
     * $high rows of $wide pixels become rows of $width.
     *
     * @param  list<float>  $values
     * @param  list<int>  $first
     * @param  list<float>  $a  weights of the four
     * @param  list<float>  $b
     * @param  list<float>  $c
     * @param  list<float>  $d
     * @return list<float>
     */
    private static function along(array $values, int $wide, int $high, int $width, array $first, array $a, array $b, array $c, array $d): array
    {
        $out = array_fill(0, $high * $width, 0.0);
        for ($row = 0, $at = 0; $row < $high; $row++) {
            $start = $row * $wide;
            for ($i = 0; $i < $width; $i++, $at++) {
                $k = $start + $first[$i];
                $out[$at] = $a[$i] * $values[$k] + $b[$i] * $values[$k + 1] + $c[$i] * $values[$k + 2] + $d[$i] * $values[$k + 3];
            }
        }

        return $out;
    }

    /**
     * $rows of $width pixels from the four lines around each.
     *
     * @param  list<float>  $out
     * @param  list<float>  $lines
     * @param  list<int>  $first
     * @param  list<float>  $a  weights of the four
     * @param  list<float>  $b
     * @param  list<float>  $c
     * @param  list<float>  $d
     */
    private static function between(array &$out, array $lines, int $width, int $rows, array $first, array $a, array $b, array $c, array $d): void
    {
        for ($row = 0, $at = 0; $row < $rows; $row++) {
            $m = $first[$row] * $width;
            $n = $m + $width;
            $o = $n + $width;
            $p = $o + $width;
            $e = $a[$row];
            $f = $b[$row];
            $g = $c[$row];
            $h = $d[$row];
            for ($end = $at + $width; $at < $end; $at++, $m++, $n++, $o++, $p++) {
                $out[$at] = $e * $lines[$m] + $f * $lines[$n] + $g * $lines[$o] + $h * $lines[$p];
            }
        }
    }

    /**
     * Where some of the sixteen are nodata.
     *
     * @param  list<float>  $out
     * @param  list<float>  $values
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     */
    private static function mend(array &$out, array $values, int $wide, int $col, int $row, array $cols, array $rows): void
    {
        $at = 0;
        foreach ($rows as $r) {
            $y = (int) ($r + 1.5) - 2;
            foreach ($cols as $c) {
                if ($out[$at] !== $out[$at]) {
                    $x = (int) ($c + 1.5) - 2;
                    $out[$at] = Warped::valid($values, ($y - $row) * $wide + $x - $col, $wide, $c - 0.5 - $x, $r - 0.5 - $y);
                }
                $at++;
            }
        }
    }
}
