<?php

namespace Chorometra\Core\Classify\Maps;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Work\Context;

/** Two class maps pixel by pixel, by the names of their classes: codes of one name may differ. */
final class Differences
{
    /**
     * @return list<array{one: string, other: string, pixels: int, hectares: float|null}> what each class of the one is in the other, the most first;
     *   pixels that have no value in one of them are left out
     *
     * @throws \Chorometra\Core\Problem where they lie on two grids
     */
    public static function of(Image $one, Image $other, Context $context): array
    {
        OneGrid::check([$one, $other]);
        $grid = $one->spec()->grid;
        $ground = Ground::of($grid);
        $parts = (new Pass($grid))->all($context, 'comparing', function (Window $window) use ($one, $other): array {
            [$a, $b] = array_map(fn (Image $image): array => Values::codes($image, $window), [$one, $other]);

            return [$window->row + 0.5 * $window->height, self::pairs($a, $b, count($a))];
        });
        $sums = [];
        foreach ($parts as [$row, $pairs]) {
            $area = $ground?->pixelArea(0.5 * $grid->width, $row);
            foreach ($pairs as $pair => $count) {
                $sums[$pair]['pixels'] = ($sums[$pair]['pixels'] ?? 0) + $count;
                $sums[$pair]['hectares'] = $area === null ? null : ($sums[$pair]['hectares'] ?? 0.0) + $count * $area / 1e4;
            }
        }
        $rows = [];
        foreach ($sums as $pair => $sum) {
            [$a, $b] = [$pair >> 16, $pair & 65535];
            if ($a !== $one->spec()->nodataCode() && $b !== $other->spec()->nodataCode()) {
                $rows[] = ['one' => $one->spec()->legend?->name($a) ?? "class $a", 'other' => $other->spec()->legend?->name($b) ?? "class $b"] + $sum;
            }
        }
        usort($rows, fn (array $x, array $y): int => [$y['pixels'], $x['one'], $x['other']] <=> [$x['pixels'], $y['one'], $y['other']]);

        return $rows;
    }

    /**
     * @param  list<int>  $one
     * @param  list<int>  $other
     * @return array<int, int> pixels by both codes, that of the one times 2¹⁶
     */
    private static function pairs(array $one, array $other, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $one[$i] = $one[$i] << 16 | $other[$i];
        }

        return array_count_values($one);
    }
}
