<?php

namespace Chorometra\Core\Regions\Numbers;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Work;

/** Segments under other numbers, several of them under one. */
final class Renumbered
{
    /**
     * Writes the output `segments`.
     *
     * @param  list<int>  $numbers  by the number that each segment has, 0 first
     * @return array<string, mixed> figures
     */
    public static function write(Work $work, Image $image, array $numbers): array
    {
        $spec = RasterSpec::segments($image->spec()->grid, $image->spec()->properties);

        return ['segments' => max(0, ...$numbers)] + $work->make(['segments' => $spec], function (Window $window) use ($image, $numbers): array {
            $codes = Values::codes($image, $window);

            return ['segments' => [self::mapped($codes, $numbers, count($codes))]];
        });
    }

    /**
     * @template T of int|float
     *
     * @param  list<int>  $codes
     * @param  array<int, T>  $numbers  by code
     * @return list<T>
     */
    public static function mapped(array $codes, array $numbers, int $count): array
    {
        $made = [];
        for ($i = 0; $i < $count; $i++) {
            $made[] = $numbers[$codes[$i]];
        }

        return $made;
    }
}
