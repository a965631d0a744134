<?php

namespace Chorometra\Core\Engine;

use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\SampleType;

/**
 * Halves rows of pixels for overviews: mean of the valid pixels of each 2 x 2 for images, most frequent code for class maps, every second pixel of
 * segments.
 */
final class Reduce
{
    /**
     * @param  list<float>|list<int>  $values  rows of $width; a last odd row or column stands for itself
     * @return list<float>
     */
    public static function mean(array $values, int $width, int $rows): array
    {
        $w = ($width + 1) >> 1;
        $h = ($rows + 1) >> 1;
        $out = array_fill(0, $w * $h, NAN);
        $k = 0;
        for ($y = 0; $y < $h; $y++) {
            $top = 2 * $y * $width;
            $low = 2 * $y + 1 < $rows ? $top + $width : $top;
            for ($x = 0; $x < $w; $x++, $k++) {
                $i = 2 * $x;
                $j = $i + 1 < $width ? $i + 1 : $i;
                $a = $values[$top + $i];
                $b = $values[$top + $j];
                $c = $values[$low + $i];
                $d = $values[$low + $j];
                $sum = ($a + $b) + ($c + $d);
                if ($sum === $sum) {
                    $out[$k] = 0.25 * $sum;
                } else {
                    $sum = 0.0;
                    /** @var float $n */
                    $n = 0.0;
                    if ($a === $a) {
                        $sum += $a;
                        $n += 1.0;
                    }
                    if ($b === $b) {
                        $sum += $b;
                        $n += 1.0;
                    }
                    if ($c === $c) {
                        $sum += $c;
                        $n += 1.0;
                    }
                    if ($d === $d) {
                        $sum += $d;
                        $n += 1.0;
                    }
                    if ($n > 0.0) {
                        $out[$k] = $sum / $n;
                    }
                }
            }
        }

        return $out;
    }

    /** Every second sample of a row, from the first on. */
    public static function nearest(string $row, SampleType $type): string
    {
        if ($type->bytes() !== 4) {
            $codes = Codec::codes($row, $type);

            return Codec::encodeCodes(array_values(array_filter($codes, fn (int $at): bool => ($at & 1) === 0, ARRAY_FILTER_USE_KEY)), $type);
        }
        // two of them make a word
        $words = Codec::words($row);
        $out = [];
        for ($k = 0, $count = (strlen($row) + 7) >> 3; $k < $count; $k++) {
            /** @var int $word */
            $word = $words[$k];
            $out[] = $word & 0xFFFFFFFF;
        }

        return Codec::encodeCodes($out, SampleType::UInt32);
    }

    /**
     * The most frequent of the four codes; of two pairs, and of four different ones, the one that comes first in reading order.
     *
     * @param  list<int>  $codes
     * @return list<int>
     */
    public static function mode(array $codes, int $width, int $rows): array
    {
        $w = ($width + 1) >> 1;
        $h = ($rows + 1) >> 1;
        $out = array_fill(0, $w * $h, 0);
        $k = 0;
        for ($y = 0; $y < $h; $y++) {
            $top = 2 * $y * $width;
            $low = 2 * $y + 1 < $rows ? $top + $width : $top;
            for ($x = 0; $x < $w; $x++, $k++) {
                $i = 2 * $x;
                $j = $i + 1 < $width ? $i + 1 : $i;
                $a = $codes[$top + $i];
                $b = $codes[$top + $j];
                $c = $codes[$low + $i];
                $d = $codes[$low + $j];
                $out[$k] = $a === $b || $a === $c || $a === $d ? $a : ($b === $c || $b === $d ? $b : ($c === $d ? $c : $a));
            }
        }

        return $out;
    }
}
