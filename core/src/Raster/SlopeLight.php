<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;

/**
 * How steeply the sun falls on slopes.
 *
 * Slope and aspect: Horn 1981, Proceedings of the IEEE 69:14–47.
 */
final class SlopeLight
{
    /**
     * The rise to the east and to the north, metres on a metre, of the rows to be made.
     *
     * @param  list<float>  $dem  heights with the halo, in the unit of the map; in metres where that is degrees
     * @return array{list<float>, list<float>} NaN beside nodata
     */
    public static function rises(array $dem, RowBlock $rows, Grid $grid): array
    {
        return self::differences(self::framed($dem, $rows), $rows->width, $rows->rows, self::axes($rows, $grid));
    }

    /**
     * Cosine of the sun's incidence, and the tangent of the slope (where it is wanted), of the rows to be made.
     *
     * @param  list<float>  $dem  heights with the halo
     * @return array{list<float>, list<float>}
     */
    public static function over(array $dem, RowBlock $rows, Grid $grid, float $sunElevation, float $sunAzimuth, bool $slopes = true): array
    {
        $zenith = deg2rad(90 - $sunElevation);
        $azimuth = deg2rad($sunAzimuth);

        return self::incidence(
            self::framed($dem, $rows),
            $rows->width,
            $rows->rows,
            self::axes($rows, $grid),
            cos($zenith),
            sin($zenith) * sin($azimuth),
            sin($zenith) * cos($azimuth),
            $slopes,
        );
    }

    /** @return list<array{float, float, float, float}> by row: the rise to the east and to the north from the differences along columns and rows */
    private static function axes(RowBlock $rows, Grid $grid): array
    {
        $axes = [];
        for ($row = 0; $row < $rows->rows; $row++) {
            [$colEast, $colNorth, $rowEast, $rowNorth] = Ground::axes($grid, $rows->first + $row + 0.5);
            $eight = 8 * ($colEast * $rowNorth - $rowEast * $colNorth);
            $axes[] = [$rowNorth / $eight, -$colNorth / $eight, $colEast / $eight, -$rowEast / $eight];
        }

        return $axes;
    }

    /**
     * Horn's third-order differences as rises. incidence() goes from the same differences to the light at once, without two more arrays
     * to write and read.
     *
     * @param  list<float>  $dem  $rows of $width heights, with one row above and one below
     * @param  list<array{float, float, float, float}>  $axes  by row
     * @return array{list<float>, list<float>}
     */
    private static function differences(array $dem, int $width, int $rows, array $axes): array
    {
        $east = $north = array_fill(0, $rows * $width, NAN);
        $last = $width - 1;
        $second = $width > 1 ? 1 : 0;
        for ($row = 0; $row < $rows; $row++) {
            [$ec, $er, $nr, $nc] = $axes[$row];
            $top = $row * $width;
            $at = $top + $width;
            $low = $at + $width;
            $sum = $dem[$top] + 2.0 * $dem[$at] + $dem[$low];
            $difference = $dem[$low] - $dem[$top];
            $leftSum = 2.0 * $sum - ($dem[$top + $second] + 2.0 * $dem[$at + $second] + $dem[$low + $second]);
            $leftDifference = 2.0 * $difference - ($dem[$low + $second] - $dem[$top + $second]);
            for ($col = 0, $out = $top; $col < $width; $col++, $out++) {
                if ($col < $last) {
                    $above = $dem[$out + 1];
                    $below = $dem[$low + $col + 1];
                    $rightSum = $above + 2.0 * $dem[$at + $col + 1] + $below;
                    $rightDifference = $below - $above;
                } else {
                    $rightSum = 2.0 * $sum - $leftSum;
                    $rightDifference = 2.0 * $difference - $leftDifference;
                }
                // the middle height is in the sum only
                if ($sum === $sum) {
                    $across = $rightSum - $leftSum;
                    $down = $leftDifference + 2.0 * $difference + $rightDifference;
                    $east[$out] = $across * $ec + $down * $er;
                    $north[$out] = $across * $nc + $down * $nr;
                }
                $leftSum = $sum;
                $leftDifference = $difference;
                $sum = $rightSum;
                $difference = $rightDifference;
            }
        }

        return [$east, $north];
    }

    /**
     * Heights of the rows with one row above and one below; beyond the image's edge the slope at the edge goes on.
     *
     * @param  list<float>  $dem  heights with the halo
     * @return list<float>
     */
    private static function framed(array $dem, RowBlock $rows): array
    {
        $width = $rows->width;
        $last = $rows->above + $rows->rows + $rows->below - 1;
        $line = fn (int $row): array => array_slice($dem, max(0, min($last, $row)) * $width, $width);
        $beyond = fn (array $edge, array $inner): array => array_map(fn (float $at, float $in): float => 2 * $at - $in, $edge, $inner);
        $above = $rows->above > 0 ? [] : $beyond($line(0), $line(1));
        $below = $rows->below > 0 ? [] : $beyond($line($last), $line($last - 1));
        $skipped = max(0, $rows->above - 1);
        $kept = $last + 1 - $skipped - max(0, $rows->below - 1);
        if ($skipped > 0 || $kept <= $last) {
            $dem = array_slice($dem, $skipped * $width, $kept * $width);
        }

        return $above === [] && $below === [] ? $dem : array_merge($above, $dem, $below);
    }

    /**
     * Horn's third-order differences. With dx and dy the rise to the east and to the north,
     * cos i = (cos z − sin z sin a · dx − sin z cos a · dy) / √(1 + dx² + dy²), which is the usual formula without its angles.
     *
     * What a column of three heights gives, weighted sum and difference, is carried on to the next pixels; beyond the first and the last
     * column the slope goes on.
     *
     * $rows of $width pixels; $up is cos z, $x and $y are sin z towards the east and the north.
     *
     * @param  list<float>  $dem  with one row above and one below
     * @param  list<array{float, float, float, float}>  $axes  by row: the rise to the east and to the north from the differences along columns and rows
     * @return array{list<float>, list<float>} the second empty where slopes are not wanted
     */
    private static function incidence(array $dem, int $width, int $rows, array $axes, float $up, float $x, float $y, bool $slopes): array
    {
        $light = array_fill(0, $rows * $width, NAN);
        $slope = $slopes ? $light : [];
        $last = $width - 1;
        $second = $width > 1 ? 1 : 0;
        for ($row = 0; $row < $rows; $row++) {
            [$ec, $er, $nr, $nc] = $axes[$row];
            $top = $row * $width;
            $at = $top + $width;
            $low = $at + $width;
            $sum = $dem[$top] + 2.0 * $dem[$at] + $dem[$low];
            $difference = $dem[$low] - $dem[$top];
            $leftSum = 2.0 * $sum - ($dem[$top + $second] + 2.0 * $dem[$at + $second] + $dem[$low + $second]);
            $leftDifference = 2.0 * $difference - ($dem[$low + $second] - $dem[$top + $second]);
            for ($col = 0, $out = $top; $col < $width; $col++, $out++) {
                if ($col < $last) {
                    $above = $dem[$out + 1];
                    $below = $dem[$low + $col + 1];
                    $rightSum = $above + 2.0 * $dem[$at + $col + 1] + $below;
                    $rightDifference = $below - $above;
                } else {
                    $rightSum = 2.0 * $sum - $leftSum;
                    $rightDifference = 2.0 * $difference - $leftDifference;
                }
                $across = $rightSum - $leftSum;
                $down = $leftDifference + 2.0 * $difference + $rightDifference;
                $dx = $across * $ec + $down * $er;
                $dy = $across * $nc + $down * $nr;
                $steep = $dx * $dx + $dy * $dy;
                // the middle height is in the sum only
                if ($sum === $sum) {
                    $light[$out] = ($up - $x * $dx - $y * $dy) / sqrt(1.0 + $steep);
                }
                if ($slopes) {
                    $slope[$out] = sqrt($steep);
                }
                $leftSum = $sum;
                $leftDifference = $difference;
                $sum = $rightSum;
                $difference = $rightDifference;
            }
        }

        return [$light, $slope];
    }
}
