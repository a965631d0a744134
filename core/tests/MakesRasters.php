<?php

namespace Chorometra\Core\Tests;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Work\Context;

/** Rasters from plain arrays, and back. Whoever uses it has a $folder of its own. */
trait MakesRasters
{
    /** A grid of 20 m pixels in UTM zone 32. */
    protected static function grid(int $width, int $height): Grid
    {
        return new Grid($width, $height, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632);
    }

    /**
     * Writes a raster.
     *
     * @param  list<list<float>|list<int>>  $planes  all pixels of each band
     */
    protected function raster(string $name, RasterSpec $spec, array $planes, int $workers = 1, bool $deflate = true): string
    {
        $path = "$this->folder/$name";
        $context = new Context($workers, $this->folder);
        $compute = fn (Window $window): array => [
            'result' => array_map(fn (array $plane): array => array_slice($plane, $window->row * $window->width, $window->pixels()), $planes),
        ];
        (new Production(['result' => ['path' => $path, 'spec' => $spec]], $compute, $context, 1, $deflate))->run([], 'test');
        $context->clean();

        return $path;
    }

    /**
     * @param  array<string, list<float>|list<int>>  $bands  by role
     * @param  array<string, mixed>  $properties
     */
    protected function image(string $name, int $width, int $height, array $bands, array $properties = []): string
    {
        return $this->raster(
            $name,
            new RasterSpec(
                self::grid($width, $height),
                array_map(fn (string $role): Band => new Band($role, $role), array_keys($bands)),
                properties: $properties,
            ),
            array_values($bands),
        );
    }

    /**
     * @param  list<int>  $codes
     * @param  list<string>  $names
     */
    protected function classes(string $name, int $width, int $height, array $codes, array $names): string
    {
        return $this->raster($name, RasterSpec::classes(self::grid($width, $height), Legend::of($names)), [$codes]);
    }

    /** @return list<float>|list<int> all pixels of a band, NaN at nodata; codes of class maps and segments */
    protected static function pixels(string|Image $image, int $band = 0, int $level = 0): array
    {
        $image = is_string($image) ? new GeoTiffImage($image) : $image;
        [$width, $height] = $image->levels()[$level];
        $spec = $image->spec();
        $bytes = $image->read($band, new Window(0, 0, $width, $height), $level);

        return $spec->content === Content::Image ? Codec::values($bytes, $spec->type, $spec->nodata) : Codec::codes($bytes, $spec->type);
    }
}
