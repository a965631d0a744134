<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\CodeCounts;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Work\Context;

/** Pixels of each class of a class map, and the ground that they cover. */
final readonly class ClassCounts
{
    /**
     * Nodata is left out, and what is unlabelled unless it is asked for.
     *
     * @param  array<int, int>  $pixels  by code, rising
     * @param  array<int, float>|null  $hectares  by code, in the same order; null where the map lies nowhere
     * @param  float  $unlabelled  part of the ground (or of the pixels) of the map that is unlabelled, 0 to 1
     * @param  array<int, float>|null  $largest  square metres of the largest pixel, by code; null where all pixels are alike
     */
    public function __construct(
        public array $pixels,
        public ?array $hectares = null,
        public float $unlabelled = 0.0,
        public ?array $largest = null,
    ) {}

    public static function of(Image $map, Context $context, bool $withUnlabelled = false): self
    {
        $spec = $map->spec();
        $ground = Ground::of($spec->grid);
        $bySize = $ground !== null && ! $ground->keepsAreas;
        $parts = (new Pass($spec->grid))->all($context, 'counting classes', function (Window $window) use ($map, $spec, $ground, $bySize): array {
            $bytes = $map->read(0, $window);

            return [CodeCounts::in($bytes, $spec->type), ...($bySize ? self::areas($bytes, $spec->type, $ground, $window->row, $window->width) : [[], []])];
        });
        $pixels = $areas = $largest = [];
        foreach ($parts as [$counts, $covered, $greatest]) {
            foreach ($counts as $code => $count) {
                $pixels[$code] = ($pixels[$code] ?? 0) + $count;
            }
            foreach ($covered as $code => $area) {
                $areas[$code] = ($areas[$code] ?? 0.0) + $area;
                $largest[$code] = max($largest[$code] ?? 0.0, $greatest[$code]);
            }
        }
        unset($pixels[$spec->nodataCode()]);
        ksort($pixels);
        $hectares = $ground === null ? null : $ground->hectares($pixels, $bySize ? $areas : null);
        $weights = $hectares ?? $pixels;
        $unlabelled = ($weights[0] ?? 0) / max(1e-300, array_sum($weights));
        if (! $withUnlabelled) {
            unset($pixels[0], $hectares[0]);
        }

        return new self($pixels, $hectares, $unlabelled, $bySize ? $largest : null);
    }

    /**
     * Square metres by code of raw samples of whole rows, whatever they stand for; and those of the largest pixel of each code.
     *
     * @return array{array<int, float>, array<int, float>}
     */
    public static function areas(string $bytes, SampleType $type, Ground $ground, int $first, int $width): array
    {
        $size = $type->bytes();
        $areas = $largest = [];
        foreach (str_split($bytes, max(1, $width * $size)) as $row => $line) {
            foreach ($ground->pieces($first + $row) as [$col, $count, $area]) {
                foreach (CodeCounts::in(substr($line, $col * $size, $count * $size), $type) as $code => $number) {
                    $areas[$code] = ($areas[$code] ?? 0.0) + $number * $area;
                    $largest[$code] = max($largest[$code] ?? 0.0, $area);
                }
            }
        }

        return [$areas, $largest];
    }

    /** All classes as one, under a code of its own. */
    public function together(int $code): self
    {
        return new self(
            [$code => array_sum($this->pixels)],
            $this->hectares === null ? null : [$code => array_sum($this->hectares)],
            $this->unlabelled,
            $this->largest === null ? null : [$code => max([0.0, ...array_intersect_key($this->largest, $this->pixels)])],
        );
    }

    /** @return array<int, float> what classes weigh: the ground they cover, or their pixels where that is not known */
    public function weights(): array
    {
        return $this->hectares ?? array_map(floatval(...), $this->pixels);
    }
}
