<?php

namespace Chorometra\Demo;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Work\Context;

/** The hills of Orvane Sound: what light falls on, and the elevation model that tells it. */
final class Elevation
{
    /** The hills are steeper than the shore's own heights would make them. */
    private const STEEPNESS = 2.2;

    /** @return list<float> metres above the sea at 10 m; water is level */
    public static function heights(Landscape $landscape): array
    {
        $out = [];
        foreach ($landscape->height as $height) {
            $out[] = $height > 0.0 ? self::STEEPNESS * $height : 0.0;
        }

        return $out;
    }

    public static function write(string $path, Context $context): void
    {
        $heights = Reduce::mean(self::heights(Landscape::at(false)), Landscape::SIZE, Landscape::SIZE);
        $spec = new RasterSpec(OpticalScene::grid(20), [new Band(name: 'height', unit: 'm')], SampleType::Float32, NAN);
        (new Production(
            ['result' => ['path' => $path, 'spec' => $spec]],
            fn (Window $window): array => ['result' => [array_slice($heights, $window->row * $spec->grid->width, $window->pixels())]],
            $context,
        ))->run([], 'writing heights');
        @unlink(preg_replace('/\.tif$/', '.stac.json', $path) ?? '');
    }
}
