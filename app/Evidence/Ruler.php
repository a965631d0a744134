<?php

namespace App\Evidence;

use App\Models\Item;
use App\Models\Study;
use App\Studies\StudyMap;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;

/** A line or a ring on the map of a study: on the ground, and in the pixels of items. */
final class Ruler
{
    /**
     * @param  list<array{float, float}>  $places  map coordinates of the study
     * @param  bool  $isRing  it runs back to its first place
     * @param  iterable<Item>  $items
     * @return array<string, mixed> metres and square metres; null where the study lies nowhere, or there is no area
     */
    public static function of(Study $study, array $places, bool $isRing, iterable $items): array
    {
        [$xs, $ys] = [array_column($places, 0), array_column($places, 1)];
        $size = max(1e-9, max($xs) - min($xs), max($ys) - min($ys)) / 100;
        $grid = new Grid(100, 100, [min($xs), $size, 0.0, max($ys), 0.0, -$size], $study->epsg);
        $ground = $study->epsg === null ? null : Ground::of($grid);
        $ring = array_map(fn (array $place): array => $grid->toPixel(...$place), $places);
        $isRing = $isRing && count($places) > 2;

        return [
            'metres' => $ground === null ? null : ($isRing ? $ground->length($ring) : self::along($ground, $ring)),
            'squareMetres' => $ground !== null && $isRing ? $ground->area($ring) : null,
            'items' => array_map(fn (Item $item): array => ['id' => $item->id] + self::pixels($item, $places, $isRing), [...$items]),
        ];
    }

    /**
     * How large a pixel is, in the unit of its map; in degrees also in metres at the middle of the image.
     *
     * @param  array<string, mixed>  $own  a grid as it is told
     * @return array{width: float, height: float, unit: string|null, metres: array{float, float}|null}
     */
    public static function pixel(array $own): array
    {
        [$a, $b, $c, $d, $e, $f] = array_map(floatval(...), $own['transform']);
        $grid = new Grid($own['width'], $own['height'], [$a, $b, $c, $d, $e, $f], $own['epsg']);
        $isDegrees = Crs::isGeographic($grid);
        $steps = $isDegrees ? Ground::of($grid)?->steps() : null;

        return [
            'width' => hypot($b, $e),
            'height' => hypot($c, $f),
            'unit' => ! $grid->isReferenced() ? null : ($isDegrees ? '°' : trim(Crs::unitSign($grid))),
            'metres' => $steps,
        ];
    }

    /** @param  list<array{float, float}>  $line */
    private static function along(Ground $ground, array $line): float
    {
        $length = 0.0;
        foreach (array_slice($line, 1) as $k => $place) {
            // there and back
            $length += 0.5 * $ground->length([$line[$k], $place]);
        }

        return $length;
    }

    /**
     * Of a line from end to end, of a ring how far it reaches.
     *
     * @param  list<array{float, float}>  $places
     * @return array{columns: float|null, rows: float|null, pixels: float|null}
     */
    private static function pixels(Item $item, array $places, bool $isRing): array
    {
        $image = $item->image();
        $own = array_map(fn (array $place): array => StudyMap::pixel($item, $image, ...$place), $places);
        if (is_nan(array_sum(array_map(array_sum(...), $own)))) {
            return ['columns' => null, 'rows' => null, 'pixels' => null];
        }
        $ends = $isRing ? $own : [$own[0], $own[count($own) - 1]];
        $span = fn (int $axis): float => max(array_column($ends, $axis)) - min(array_column($ends, $axis));
        $area = 0.0;
        foreach ($own as $k => [$col, $row]) {
            [$c, $r] = $own[($k + 1) % count($own)];
            $area += 0.5 * ($col * $r - $c * $row);
        }

        return ['columns' => $span(0), 'rows' => $span(1), 'pixels' => $isRing ? abs($area) : null];
    }
}
