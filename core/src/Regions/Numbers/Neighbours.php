<?php

namespace Chorometra\Core\Regions\Numbers;

use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Work\Context;

/** Segments that touch along sides of pixels. */
final class Neighbours
{
    /**
     * Tells all pairs, some more than once, each with the sides of pixels between them: those along rows, which part columns, and those along columns.
     *
     * @param  \Closure(int, int, int, int): void  $tell  the lesser number, the greater, sides between columns, and between rows
     */
    public static function each(Image $segments, Context $context, \Closure $tell): void
    {
        $grid = $segments->spec()->grid;
        (new Pass($grid))->gather(
            $context,
            'looking for neighbours',
            function (Window $window) use ($segments, $grid): array {
                // a row more, so that the seam to the next is seen
                $rows = min($window->height + 1, $grid->height - $window->row);
                $labels = Values::codes($segments, new Window(0, $window->row, $grid->width, $rows));

                return self::sides($labels, $grid->width, $window->height, $rows);
            },
            function (array $found) use ($tell): void {
                foreach ($found as $key => $sides) {
                    $tell($key >> 32, $key & 0xFFFFFFFF, $sides & 0xFFFFFFFF, $sides >> 32);
                }
            },
        );
    }

    /**
     * @param  list<int>  $labels  $all rows, of which $rows are looked at
     * @return array<int, int> by both numbers: sides between columns, and those between rows times 2³²
     */
    public static function sides(array $labels, int $width, int $rows, int $all): array
    {
        $pairs = [];
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $width; $col++, $i++) {
                $own = $labels[$i];
                if ($own === 0) {
                    continue;
                }
                if ($col + 1 < $width) {
                    $other = $labels[$i + 1];
                    if ($other !== $own && $other > 0) {
                        $key = $own < $other ? $own << 32 | $other : $other << 32 | $own;
                        $pairs[$key] = ($pairs[$key] ?? 0) + 1;
                    }
                }
                if ($row + 1 < $all) {
                    $other = $labels[$i + $width];
                    if ($other !== $own && $other > 0) {
                        $key = $own < $other ? $own << 32 | $other : $other << 32 | $own;
                        $pairs[$key] = ($pairs[$key] ?? 0) + (1 << 32);
                    }
                }
            }
        }

        return $pairs;
    }
}
