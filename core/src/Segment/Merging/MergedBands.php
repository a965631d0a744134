<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Work\Context;

/** The bands that regions are merged by, made comparable, over all of an image. */
final class MergedBands
{
    /** What a band's deviation becomes, where bands are scaled. */
    public const SCALE = 10.0;

    /**
     * How much bands vary over pixels that have all of them: their deviations, and the mean difference of a pixel and the next in its row.
     *
     * @param  list<array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within  a class map, and the codes of which pixels count
     * @return array{list<float>, list<float>} deviations dividing by the number; 0 where there is none
     */
    public static function spread(array $bands, ?array $within, Context $context): array
    {
        $grid = $bands[0][0]->spec()->grid;
        $parts = (new Pass($grid))->all($context, 'measuring how much bands vary', fn (Window $window): array => array_map(
            fn (array $values): array => [Moments::of($values), self::apart($values, $window->width, $window->height)],
            self::window($bands, $within, $window),
        ));
        $deviations = $differences = [];
        foreach (array_keys($bands) as $band) {
            $moments = new Moments;
            $sum = 0.0;
            $pairs = 0;
            foreach ($parts as $part) {
                [$some, [$apart, $count]] = $part[$band];
                $moments = $moments->merge($some);
                $sum += $apart;
                $pairs += $count;
            }
            $deviations[] = $moments->count > 0 ? $moments->deviation() : 0.0;
            $differences[] = $pairs > 0 ? $sum / $pairs : 0.0;
        }

        return [$deviations, $differences];
    }

    /**
     * @param  list<float>  $values
     * @return array{float, int} what pixels differ from the next in their row, added up, and how many do
     */
    private static function apart(array $values, int $width, int $height): array
    {
        $sum = 0.0;
        $pairs = 0;
        for ($row = 0, $i = 0; $row < $height; $row++, $i++) {
            for ($col = 1; $col < $width; $col++, $i++) {
                $d = $values[$i] - $values[$i + 1];
                if ($d === $d) {
                    $sum += $d < 0.0 ? -$d : $d;
                    $pairs++;
                }
            }
        }

        return [$sum, $pairs];
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
