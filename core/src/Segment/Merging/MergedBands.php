<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** The bands that regions are merged by, made comparable, over all of an image. */
final class MergedBands
{
    /** What a band's deviation becomes, where bands are scaled. */
    public const SCALE = 10.0;

    /**
     * Deviations of bands over pixels that have all of them.
     *
     * @param  list<array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within  a class map, and the codes of which pixels count
     * @return list<float> dividing by the number
     */
    public static function deviations(array $bands, ?array $within, Context $context): array
    {
        $grid = $bands[0][0]->spec()->grid;
        $rows = $grid->strip();
        $blocks = intdiv($grid->height + $rows - 1, $rows);
        $parts = [];
        Workers::run($blocks, $context, 'measuring how much bands vary', function (int $block) use ($bands, $within, $grid, $rows): array {
            $window = new Window(0, $block * $rows, $grid->width, min($rows, $grid->height - $block * $rows));

            return array_map(Moments::of(...), self::window($bands, $within, $window));
        }, function (int $block, mixed $moments) use (&$parts): void {
            $parts[$block] = $moments;
        });
        ksort($parts);

        return array_map(function (int $band) use ($parts): float {
            $moments = new Moments;
            foreach ($parts as $part) {
                $moments = $moments->merge($part[$band]);
            }

            return $moments->count > 0 ? $moments->deviation() : 0.0;
        }, array_keys($bands));
    }

    /**
     * Values of a window; NaN in all bands where one of them is, or where the map says so.
     *
     * @param  list<array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within
     * @param  list<float>  $factors  1 for each where none are told
     * @return list<list<float>>
     */
    public static function window(array $bands, ?array $within, Window $window, array $factors = []): array
    {
        $values = array_map(fn (array $band): array => Values::of($band[0], $band[1], $window), $bands);
        $count = $window->pixels();
        $sum = array_fill(0, $count, 0.0);
        foreach ($values as $band) {
            self::add($sum, $band, $count);
        }
        if ($within !== null) {
            self::cut($sum, Values::of($within[0], 0, $window), $within[1], $count);
        }

        return array_map(fn (array $band, int $k): array => self::scaled($band, $sum, $count, $factors[$k] ?? 1.0), $values, array_keys($values));
    }

    /**
     * @param  list<float>  $sum
     * @param  list<float>  $values
     */
    private static function add(array &$sum, array $values, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $sum[$i] += $values[$i];
        }
    }

    /**
     * @param  list<float>  $sum
     * @param  list<float>  $codes
     * @param  array<int, true>  $wanted
     */
    private static function cut(array &$sum, array $codes, array $wanted, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            if ($codes[$i] !== $codes[$i] || ! isset($wanted[(int) $codes[$i]])) {
                $sum[$i] = NAN;
            }
        }
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $sum  NaN where a pixel is none
     * @return list<float>
     */
    private static function scaled(array $values, array $sum, int $count, float $factor): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = $sum[$i] === $sum[$i] ? $factor * $values[$i] : NAN;
        }

        return $values;
    }
}
