<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** Pixels of each class of a class map, and the ground that they cover. */
final readonly class ClassCounts
{
    /**
     * Unlabelled and nodata are left out.
     *
     * @param  array<int, int>  $pixels  by code, rising
     * @param  array<int, float>|null  $hectares  by code, in the same order; null where the map lies nowhere
     */
    public function __construct(public array $pixels, public ?array $hectares = null) {}

    public static function of(Image $map, Context $context): self
    {
        $spec = $map->spec();
        $ground = Ground::of($spec->grid);
        $bySize = $ground !== null && ! $ground->keepsAreas;
        $strip = $spec->grid->strip();
        $blocks = intdiv($spec->grid->height + $strip - 1, $strip);
        $parts = [];
        Workers::run($blocks, $context, 'counting classes', function (int $block) use ($map, $spec, $ground, $bySize, $strip): array {
            $rows = min($strip, $spec->grid->height - $block * $strip);
            $bytes = $map->read(0, new Window(0, $block * $strip, $spec->grid->width, $rows));

            return [self::in($bytes, $spec->type), $bySize ? self::areas($bytes, $spec->type, $ground, $block * $strip, $spec->grid->width) : []];
        }, function (int $block, mixed $answer) use (&$parts): void {
            $parts[$block] = $answer;
        });
        // always in the order of rows: sums are the same however many worked
        ksort($parts);
        $pixels = $areas = [];
        foreach ($parts as [$counts, $covered]) {
            foreach ($counts as $code => $count) {
                $pixels[$code] = ($pixels[$code] ?? 0) + $count;
            }
            foreach ($covered as $code => $area) {
                $areas[$code] = ($areas[$code] ?? 0.0) + $area;
            }
        }
        unset($pixels[0], $pixels[(int) $spec->nodata]);
        ksort($pixels);

        return new self($pixels, $ground === null ? null : $ground->hectares($pixels, $bySize ? $areas : null));
    }

    /** @return array<int, int> pixels by code of raw samples, whatever they stand for */
    public static function in(string $bytes, SampleType $type): array
    {
        return $type === SampleType::UInt8 ? count_chars($bytes, 1) : array_count_values(Codec::codes($bytes, $type));
    }

    /**
     * Square metres by code of raw samples of whole rows, whatever they stand for.
     *
     * @return array<int, float>
     */
    public static function areas(string $bytes, SampleType $type, Ground $ground, int $first, int $width): array
    {
        $size = $type->bytes();
        $areas = [];
        foreach (str_split($bytes, max(1, $width * $size)) as $row => $line) {
            foreach ($ground->pieces($first + $row) as [$col, $count, $area]) {
                foreach (self::in(substr($line, $col * $size, $count * $size), $type) as $code => $number) {
                    $areas[$code] = ($areas[$code] ?? 0.0) + $number * $area;
                }
            }
        }

        return $areas;
    }

    /** @return array<int, float> what classes weigh: the ground they cover, or their pixels where that is not known */
    public function weights(): array
    {
        return $this->hectares ?? array_map(floatval(...), $this->pixels);
    }
}
