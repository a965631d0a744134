<?php

namespace Chorometra\Core\Regions\Measures;

use Chorometra\Core\Geo\SideLength;

/** The loops of measuring: over the pixels of a block, by the segments that it holds. */
final class Kernels
{
    /**
     * Places of the segments that are met, in their order; −1 for none.
     *
     * @param  list<int>  $labels
     * @return array{list<int>, list<int>} by pixel, and their numbers
     */
    public static function places(array $labels, int $from, int $count): array
    {
        $known = $numbers = [];
        $places = array_fill(0, $count, -1);
        $before = 0;
        $place = -1;
        for ($i = 0; $i < $count; $i++) {
            $label = $labels[$from + $i];
            if ($label > 0) {
                // beside each other they are often the same
                if ($label !== $before) {
                    $before = $label;
                    if (! isset($known[$label])) {
                        $known[$label] = count($numbers);
                        $numbers[] = $label;
                    }
                    $place = $known[$label];
                }
                $places[$i] = $place;
            }
        }

        return [$places, $numbers];
    }

    /**
     * $above, $rows and $below rows of $width labels, those between to be measured, the first of which is $first of the image.
     *
     * @param  list<int>  $labels
     * @param  list<float>  $areas  by pixel
     * @param  list<float>  $wide  by row, of a side between rows
     * @param  list<float>  $high  by row, of a side between columns
     * @return array{list<int>, list<list<float>>} numbers; pixels, columns, rows, squares of columns, of rows, products, areas, perimeters
     */
    public static function shapes(
        array $labels,
        int $width,
        int $above,
        int $rows,
        int $below,
        int $first,
        array $areas,
        array $wide,
        array $high,
    ): array {
        $from = $above * $width;
        [$places, $numbers] = self::places($labels, $from, $rows * $width);
        $n = $x = $y = $xx = $yy = $xy = $area = $around = array_fill(0, count($numbers), 0.0);
        $end = ($above + $rows + $below) * $width;
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            $v = $first + $row + 0.5;
            for ($col = 0; $col < $width; $col++, $i++) {
                $place = $places[$i];
                if ($place < 0) {
                    continue;
                }
                $u = $col + 0.5;
                $n[$place] += 1.0;
                $x[$place] += $u;
                $y[$place] += $v;
                $xx[$place] += $u * $u;
                $yy[$place] += $v * $v;
                $xy[$place] += $u * $v;
                $area[$place] += $areas[$i];
                $k = $from + $i;
                $own = $labels[$k];
                if ($col === 0 || $labels[$k - 1] !== $own) {
                    $around[$place] += $high[$row];
                }
                if ($col === $width - 1 || $labels[$k + 1] !== $own) {
                    $around[$place] += $high[$row];
                }
                if ($k < $width || $labels[$k - $width] !== $own) {
                    $around[$place] += $wide[$row];
                }
                if ($k + $width >= $end || $labels[$k + $width] !== $own) {
                    $around[$place] += $wide[$row];
                }
            }
        }

        return [$numbers, [$n, $x, $y, $xx, $yy, $xy, $area, $around]];
    }

    /**
     * @param  list<int>  $places  of $segments
     * @param  list<float>  $values
     * @return list<list<float>> valid pixels, means, squared deviations, least, greatest
     */
    public static function values(array $places, array $values, int $count, int $segments): array
    {
        $n = $means = $squares = array_fill(0, $segments, 0.0);
        $least = array_fill(0, $segments, INF);
        $greatest = array_fill(0, $segments, -INF);
        for ($i = 0; $i < $count; $i++) {
            $place = $places[$i];
            $value = $values[$i];
            if ($place > -1 && $value === $value) {
                $n[$place] += 1.0;
                $means[$place] += $value;
                if ($value < $least[$place]) {
                    $least[$place] = $value;
                }
                if ($value > $greatest[$place]) {
                    $greatest[$place] = $value;
                }
            }
        }
        foreach ($n as $place => $number) {
            $means[$place] = $number > 0.0 ? $means[$place] / $number : 0.0;
        }
        for ($i = 0; $i < $count; $i++) {
            $place = $places[$i];
            $value = $values[$i];
            if ($place > -1 && $value === $value) {
                $apart = $value - $means[$place];
                $squares[$place] += $apart * $apart;
            }
        }

        return [$n, $means, $squares, $least, $greatest];
    }

    /**
     * Valid values by segment.
     *
     * @param  list<int>  $labels
     * @param  list<float>  $values
     * @return array{list<int>, list<list<float>>}
     */
    public static function lists(array $labels, array $values, int $count): array
    {
        [$places, $numbers] = self::places($labels, 0, $count);
        $lists = array_fill(0, count($numbers), []);
        for ($i = 0; $i < $count; $i++) {
            if ($places[$i] > -1 && $values[$i] === $values[$i]) {
                $lists[$places[$i]][] = $values[$i];
            }
        }

        return [$numbers, $lists];
    }

    /**
     * How much of the edge faces a pixel of a class that is of another segment or of none, and all of the edge. See shapes() for the rows.
     *
     * @param  list<int>  $labels
     * @param  list<int>  $codes
     * @return array{list<int>, list<list<float>>}
     */
    public static function facing(array $labels, array $codes, int $code, SideLength $side, int $width, int $above, int $rows, int $below): array
    {
        $from = $above * $width;
        [$places, $numbers] = self::places($labels, $from, $rows * $width);
        $facing = $all = array_fill(0, count($numbers), 0.0);
        $end = ($above + $rows + $below) * $width;
        $high = 1.0 * $side->column;
        $wide = 1.0 * $side->row;
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $width; $col++, $i++) {
                $place = $places[$i];
                if ($place < 0) {
                    continue;
                }
                $k = $from + $i;
                $own = $labels[$k];
                if ($col === 0 || $labels[$k - 1] !== $own) {
                    $all[$place] += $high;
                    $facing[$place] += $col > 0 && $codes[$k - 1] === $code ? $high : 0.0;
                }
                if ($col === $width - 1 || $labels[$k + 1] !== $own) {
                    $all[$place] += $high;
                    $facing[$place] += $col < $width - 1 && $codes[$k + 1] === $code ? $high : 0.0;
                }
                if ($k < $width || $labels[$k - $width] !== $own) {
                    $all[$place] += $wide;
                    $facing[$place] += $k >= $width && $codes[$k - $width] === $code ? $wide : 0.0;
                }
                if ($k + $width >= $end || $labels[$k + $width] !== $own) {
                    $all[$place] += $wide;
                    $facing[$place] += $k + $width < $end && $codes[$k + $width] === $code ? $wide : 0.0;
                }
            }
        }

        return [$numbers, [$facing, $all]];
    }

    /**
     * Squared distances along a row, from those in each column: the least of parabolas.
     *
     * Source: Felzenszwalb & Huttenlocher 2012, Distance transforms of sampled functions, Theory of Computing 8:415–428.
     *
     * @param  list<int>  $far  rows to the nearest in each column
     * @param  float  $wide  step of a column, $high that of a row
     * @return list<float> INF where there is none
     */
    public static function along(array $far, int $width, float $wide, float $high): array
    {
        $lowest = $from = $bottoms = [];
        $k = -1;
        for ($q = 0; $q < $width; $q++) {
            if ($far[$q] === ColumnDistances::NONE) {
                continue;
            }
            $x = $wide * $q;
            $y = $high * $far[$q];
            $bottom = $y * $y;
            $start = -INF;
            while ($k > -1) {
                $v = $wide * $lowest[$k];
                $start = ($bottom + $x * $x - $bottoms[$k] - $v * $v) / (2.0 * ($x - $v));
                if ($start > $from[$k]) {
                    break;
                }
                $k--;
                $start = -INF;
            }
            $k++;
            $lowest[$k] = $q;
            $bottoms[$k] = $bottom;
            $from[$k] = $start;
        }
        $squares = [];
        for ($q = 0, $j = 0; $q < $width; $q++) {
            if ($k < 0) {
                $squares[] = INF;

                continue;
            }
            $x = $wide * $q;
            while ($j < $k && $from[$j + 1] < $x) {
                $j++;
            }
            $d = $x - $wide * $lowest[$j];
            $squares[] = $d * $d + $bottoms[$j];
        }

        return $squares;
    }

    /**
     * @param  list<float>  $least  by place
     * @param  list<int>  $places
     * @param  list<float>  $squares  of a row that begins at $first
     */
    public static function nearest(array &$least, array $places, int $first, array $squares, int $width): void
    {
        for ($col = 0; $col < $width; $col++) {
            $place = $places[$first + $col];
            if ($place > -1 && $squares[$col] < $least[$place]) {
                $least[$place] = $squares[$col];
            }
        }
    }
}
