<?php

namespace Chorometra\Core\Assess;

use Chorometra\Core\Engine\Context;
use Chorometra\Core\Engine\Workers;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Window;

/** Pixels of each class of a class map. */
final class ClassCounts
{
    /** @return array<int, int> by code, rising; without unlabelled and nodata */
    public static function of(Image $map, Context $context): array
    {
        $spec = $map->spec();
        $blocks = intdiv($spec->grid->height + 255, 256);
        $counts = [];
        Workers::run($blocks, $context, 'counting classes', function (int $block) use ($map, $spec): array {
            $rows = min(256, $spec->grid->height - $block * 256);

            return self::in($map->read(0, new Window(0, $block * 256, $spec->grid->width, $rows)), $spec->type);
        }, function (int $block, mixed $answer) use (&$counts): void {
            foreach ($answer as $code => $count) {
                $counts[$code] = ($counts[$code] ?? 0) + $count;
            }
        });
        unset($counts[0], $counts[(int) $spec->nodata]);
        ksort($counts);

        return $counts;
    }

    /** @return array<int, int> pixels by code of raw samples, whatever they stand for */
    public static function in(string $bytes, SampleType $type): array
    {
        return $type === SampleType::UInt8 ? count_chars($bytes, 1) : array_count_values(Codec::codes($bytes, $type));
    }
}
