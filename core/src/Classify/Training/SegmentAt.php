<?php

namespace Chorometra\Core\Classify\Training;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;

/** The segment at a place, as far as it hangs together around it. */
final class SegmentAt
{
    /** Side of the square around the place that is looked at first; it doubles as long as the segment reaches its edge. */
    private const SIDE = 128;

    private const MOST = 2048;

    /**
     * @return array{window: Window, pixels: list<int>} pixels of the window, the nearest first
     *
     * @throws Problem where there is none, or where it is very large
     */
    public static function of(Image $segments, int $col, int $row): array
    {
        $grid = $segments->spec()->grid;
        if ($col < 0 || $row < 0 || $col >= $grid->width || $row >= $grid->height) {
            throw Problem::input('The place is outside the segments.', 'place');
        }
        for ($side = self::SIDE; $side <= self::MOST; $side *= 2) {
            $window = (new Window($col - intdiv($side, 2), $row - intdiv($side, 2), $side, $side))->within($grid->width, $grid->height);
            $labels = Values::codes($segments, $window);
            $seed = ($row - $window->row) * $window->width + $col - $window->col;
            if ($labels[$seed] === 0) {
                throw Problem::input('There is no segment at this place.', 'place');
            }
            [$pixels, $reaches] = self::filled($labels, $window, $grid->width, $grid->height, $seed);
            if (! $reaches) {
                return ['window' => $window, 'pixels' => $pixels];
            }
        }
        throw Problem::input('The segment is too large for an area: draw a part of it.', 'place');
    }

    /**
     * @param  list<int>  $labels
     * @return array{list<int>, bool} and whether it reaches an edge of the window that is none of the image
     */
    private static function filled(array $labels, Window $window, int $width, int $height, int $seed): array
    {
        $label = $labels[$seed];
        $labels[$seed] = 0;
        $pixels = [$seed];
        $reaches = false;
        for ($k = 0; $k < count($pixels); $k++) {
            $pixel = $pixels[$k];
            [$row, $col] = [intdiv($pixel, $window->width), $pixel % $window->width];
            $reaches = $reaches || ($col === 0 && $window->col > 0) || ($row === 0 && $window->row > 0)
                || ($col === $window->width - 1 && $window->col + $window->width < $width)
                || ($row === $window->height - 1 && $window->row + $window->height < $height);
            $sides = [[$row > 0, -$window->width], [$col > 0, -1], [$col < $window->width - 1, 1], [$row < $window->height - 1, $window->width]];
            foreach ($sides as [$isIn, $by]) {
                if ($isIn && $labels[$pixel + $by] === $label) {
                    $labels[$pixel + $by] = 0;
                    $pixels[] = $pixel + $by;
                }
            }
        }

        return [$pixels, $reaches];
    }
}
