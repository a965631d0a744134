<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Stats\Quantiles;
use Chorometra\Core\Work\Context;

/** Exact percentiles of a band, which no outlier moves. */
final class Percentiles
{
    /**
     * @param  list<float>  $percents  0 to 100
     * @param  int  $level  of the image's overviews; 0 for full resolution
     * @return list<float> linear between two values; NaN where the band has no value
     */
    public static function of(Image $image, int $band, array $percents, Context $context, int $level = 0): array
    {
        [$width, $height] = $image->levels()[$level];
        $rows = (new Grid($width, $height))->strip();
        $values = fn (int $strip): array => [
            [Values::of($image, $band, new Window(0, $strip * $rows, $width, min($rows, $height - $strip * $rows)), $level)],
        ];
        $shares = array_map(fn (float $percent): float => $percent / 100, $percents);

        return Quantiles::of(intdiv($height + $rows - 1, $rows), $width * $height, $values, $shares, $context)[0] ?? array_fill(0, count($percents), NAN);
    }
}
