<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;

/** What a map says at points, and what they are said to be, in the map's own codes. */
final class Labels
{
    /**
     * @param  list<array{x: float, y: float, label: string|null, ...}>  $points
     * @return list<array{int|null, int|null}> the map's code, null outside and where it is unlabelled or nodata; the label's, null where there is none
     *
     * @throws Problem where a label is no class of the map
     */
    public static function codes(Image $map, array $points): array
    {
        $legend = $map->spec()->legend ?? new Legend([]);
        $codes = [];
        foreach ($points as $point) {
            $label = $point['label'];
            $truth = $label === null ? null : $legend->codeOf($label) ?? (ctype_digit($label) ? (int) $label : null);
            if ($label !== null && $truth === null) {
                throw Problem::input(
                    "The label “{$label}” is no class of {$map->name()}; its classes are ".implode(', ', array_map($legend->name(...), $legend->codes())).'.',
                    'points',
                );
            }
            $codes[] = [MatrixFigures::codeAt($map, $point['x'], $point['y']), $truth];
        }

        return $codes;
    }
}
