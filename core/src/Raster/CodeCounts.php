<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Work\Context;

/** Which codes a map has, and how many pixels of each. */
final class CodeCounts
{
    /** @return array<int, int> pixels by code, rising, whatever it stands for */
    public static function of(Image $map, Context $context): array
    {
        $spec = $map->spec();
        $pixels = [];
        $look = fn (Window $window): array => self::in($map->read(0, $window), $spec->type);
        (new Pass($spec->grid))->gather($context, 'looking for classes', $look, function (array $counts) use (&$pixels): void {
            foreach ($counts as $code => $count) {
                $pixels[$code] = ($pixels[$code] ?? 0) + $count;
            }
        });
        ksort($pixels);

        return $pixels;
    }

    /** @return array<int, int> pixels by code of raw samples */
    public static function in(string $bytes, SampleType $type): array
    {
        return $type === SampleType::UInt8 ? count_chars($bytes, 1) : array_count_values(Codec::codes($bytes, $type));
    }
}
