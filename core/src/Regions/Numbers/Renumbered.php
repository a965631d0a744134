<?php

namespace Chorometra\Core\Regions\Numbers;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Work\Context;

/** Segments under other numbers, several of them under one. */
final class Renumbered
{
    /**
     * Writes the output `segments`.
     *
     * @param  list<int>  $numbers  by the number that each segment has, 0 first
     * @return array<string, mixed> figures
     */
    public static function write(Call $call, Image $image, array $numbers, Context $context): array
    {
        $path = $call->outputs['segments'] ?? throw Problem::call('Name the output segments.', 'segments');
        $spec = RasterSpec::segments($image->spec()->grid, $image->spec()->properties);
        $production = new Production(
            ['segments' => ['path' => $path, 'spec' => $spec]],
            function (Window $window) use ($image, $numbers): array {
                $codes = Values::codes($image, $window);

                return ['segments' => [self::mapped($codes, $numbers, count($codes))]];
            },
            $context,
        );

        return ['segments' => max(0, ...$numbers)] + $production->run($call->provenance(), 'numbering segments');
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
