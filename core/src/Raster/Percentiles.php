<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Pass;
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
        $pass = new Pass(new Grid($width, $height));
        $values = fn (int $strip): array => array_map(fn (Window $window): array => [Values::of($image, $band, $window, $level)], $pass->windows($strip));
        $shares = array_map(fn (float $percent): float => $percent / 100, $percents);

        return Quantiles::of($pass->strips(), $width * $height, $values, $shares, $context)[0] ?? array_fill(0, count($percents), NAN);
    }
}
