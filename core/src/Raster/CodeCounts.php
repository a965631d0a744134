<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** Which codes a map has, and how many pixels of each. */
final class CodeCounts
{
    /** @return array<int, int> pixels by code, rising, whatever it stands for */
    public static function of(Image $map, Context $context): array
    {
        $spec = $map->spec();
        $strip = $spec->grid->strip();
        $pixels = [];
        Workers::run(
            intdiv($spec->grid->height + $strip - 1, $strip),
            $context,
            'looking for classes',
            fn (int $block): array => self::in(
                $map->read(0, new Window(0, $block * $strip, $spec->grid->width, min($strip, $spec->grid->height - $block * $strip))),
                $spec->type,
            ),
            function (int $block, mixed $counts) use (&$pixels): void {
                foreach ($counts as $code => $count) {
                    $pixels[$code] = ($pixels[$code] ?? 0) + $count;
                }
            },
        );
        ksort($pixels);

        return $pixels;
    }

    /** @return array<int, int> pixels by code of raw samples */
    public static function in(string $bytes, SampleType $type): array
    {
        return $type === SampleType::UInt8 ? count_chars($bytes, 1) : array_count_values(Codec::codes($bytes, $type));
    }
}
