<?php

namespace Chorometra\Benchmarks;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Work\Context;

/** A made-up scene of seven 16-bit bands of any size: fields of some hundred pixels with fine grain, nodata in a corner. */
final class Scene
{
    private const ROLES = ['blue', 'green', 'red', 'nir', 'swir1', 'swir2', 'thermal1'];

    /** Centre and width in µm. */
    private const WAVELENGTHS = [[0.48, 0.06], [0.56, 0.06], [0.66, 0.04], [0.86, 0.03], [1.61, 0.09], [2.2, 0.18], [10.9, 0.8]];

    public static function make(string $path, int $size, Context $context): void
    {
        $bands = array_map(
            fn (string $role, array $at): Band => new Band(
                $role,
                $role,
                $at[0],
                $at[1],
                'counts',
                constants: str_starts_with($role, 'thermal')
                    ? ['radiance_gain' => 3.342e-4, 'radiance_offset' => 0.1, 'k1' => 774.8853, 'k2' => 1321.0789]
                    : ['reflectance_gain' => 2e-5, 'reflectance_offset' => -0.1],
            ),
            self::ROLES,
            self::WAVELENGTHS,
        );
        $spec = new RasterSpec(
            new Grid($size, $size, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632),
            $bands,
            SampleType::UInt16,
            0.0,
            properties: ['view:sun_elevation' => 45.0, 'datetime' => '2031-05-12T10:41:22Z'],
        );
        (new Production(
            ['result' => ['path' => $path, 'spec' => $spec]],
            fn (Window $window): array => [
                'result' => array_map(fn (int $band): array => self::rows($window, $size, $band), array_keys(self::ROLES)),
            ],
            $context,
        ))->run([], 'making the scene');
    }

    /** @return list<int> */
    private static function rows(Window $window, int $size, int $band): array
    {
        $out = array_fill(0, $window->pixels(), 0);
        $level = [7200, 8100, 8000, 9600, 9000, 8000, 24000][$band];
        $k = 0;
        for ($y = $window->row; $y < $window->row + $window->height; $y++) {
            $wave = (int) (1400 * sin($y / 91 + 0.4 * $band));
            $fields = ($y + (int) (40 * sin($y / 300))) >> 7;
            $grain = 0x9E37 * $y + 977 * $band;
            for ($x = 0; $x < $size; $x++) {
                $grain = ($grain * 1103515245 + 12345) & 0x7FFFFFFF;
                if ($x + $y > 200) {
                    $out[$k] = $level + $wave + ((((($x + 20 * $band) >> 7) * 7 + $fields * 3) % 11) * 330) + ($grain >> 21);
                }
                $k++;
            }
        }

        return $out;
    }
}
