<?php

namespace App\Studies;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;

/** What the browser needs to know of a raster. */
final class RasterMeta
{
    /**
     * @param  int|null  $epsg  CRS of the study that it is shown in
     * @return array<string, mixed>
     */
    public static function of(Image $image, ?int $epsg = null): array
    {
        $spec = $image->spec();
        $placed = StudyMap::of($image, $epsg);
        $ground = Ground::of($spec->grid);

        return [
            'width' => $spec->grid->width,
            'height' => $spec->grid->height,
            'transform' => $spec->grid->transform,
            'epsg' => $spec->grid->epsg,
            'datum' => ($datum = Crs::datum($spec->grid)) === null || $datum->name === 'WGS 84' ? null : $datum->words(),
            'hectares' => $ground?->keepsAreas ? $ground->pixelArea(0, 0) / 1e4 : null,
            'type' => $spec->type->value,
            'nodata' => $spec->nodata === null || is_nan($spec->nodata) ? null : $spec->nodata,
            'content' => $spec->content->value,
            'levels' => $image->levels(),
            'bands' => array_map(fn (Band $band, int $index): array => [
                'number' => $index + 1,
                'label' => $band->label($index + 1),
                'role' => $band->role,
                'wavelength' => $band->wavelength,
                'scale' => $band->scale()?->value,
                'unit' => $band->unit,
            ], $spec->bands, array_keys($spec->bands)),
            'legend' => $spec->legend?->toArray(),
            ...($placed === null ? [] : ['placed' => $placed]),
            'date' => isset($spec->properties['datetime']) ? substr((string) $spec->properties['datetime'], 0, 10) : null,
            'time' => isset($spec->properties['datetime']) ? (string) $spec->properties['datetime'] : null,
        ];
    }
}
