<?php

namespace Chorometra\Core\Classify\Training;

use Chorometra\Core\Classify\Cases\Areas;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;

/** What a class map holds of training areas. */
final class AreaCodes
{
    private const SIDE = 256;

    /** @return array<string, array<int, int>> pixels by class of the areas and code of the map */
    public static function of(Areas $areas, Image $map): array
    {
        $names = array_column($areas->legend->classes, 'name');
        $nodata = $map->spec()->nodataCode();
        $held = array_fill_keys($names, []);
        foreach ($areas->windows(self::SIDE) as $window) {
            $codes = Values::codes($map, $window);
            foreach ($areas->runs($window) as [$area, $row, $from, $to]) {
                $name = $names[$areas->areas[$area]['class']];
                $at = ($row - $window->row) * $window->width - $window->col;
                for ($col = $from; $col < $to; $col++) {
                    $code = $codes[$at + $col];
                    if ($code !== $nodata) {
                        $held[$name][$code] = ($held[$name][$code] ?? 0) + 1;
                    }
                }
            }
        }

        return $held;
    }
}
