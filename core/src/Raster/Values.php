<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** Values of images, whether they are read or computed. */
final class Values
{
    /** @return list<float> of a window inside the image, NaN for nodata; an image that is computed has one level */
    public static function of(Image $image, int $band, Window $window, int $level = 0): array
    {
        $spec = $image->spec();

        return $image instanceof Computed ? $image->values($band, $window) : Codec::values($image->read($band, $window, $level), $spec->type, $spec->nodata);
    }

    /** @return list<int> of a window inside a class map or an image of segments, nodata as it is stored */
    public static function codes(Image $image, Window $window, int $band = 0, int $level = 0): array
    {
        return Codec::codes($image->read($band, $window, $level), $image->spec()->type);
    }

    /** The class of a map at a place in its own coordinates, 0 where it is unlabelled; null outside, and where it is nodata. */
    public static function codeAt(Image $map, float $x, float $y): ?int
    {
        $spec = $map->spec();
        [$col, $row] = array_map(fn (float $at): int => (int) floor($at), $spec->grid->toPixel($x, $y));
        if ($col < 0 || $row < 0 || $col >= $spec->grid->width || $row >= $spec->grid->height) {
            return null;
        }
        $code = self::codes($map, new Window($col, $row, 1, 1))[0];

        return $code === $spec->nodataCode() ? null : $code;
    }

    /**
     * $height rows of $width pixels into rows of $stride, from index $at on.
     *
     * @param  list<float>  $out
     * @param  list<float>  $values
     */
    public static function put(array &$out, array $values, int $at, int $stride, int $width, int $height): void
    {
        for ($row = 0, $k = 0; $row < $height; $row++) {
            for ($i = $at + $row * $stride, $end = $i + $width; $i < $end; $i++, $k++) {
                $out[$i] = $values[$k];
            }
        }
    }
}
