<?php

namespace Chorometra\Core\Classify\Training;

use Chorometra\Core\Classify\Models\Whole;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;

/**
 * A training area grown from a seed: of the pixels beside it the one that is most like what is there so far joins next. How like it is, is its
 * distance from the running mean in the running deviations: root mean square over the bands. So an area of any likeness is the first part of one order.
 *
 * Source: Adams & Bischof 1994, Seeded region growing, IEEE Transactions on Pattern Analysis and Machine Intelligence 16:641–647, with one region, and
 * distances in its own scatter.
 */
final class SeedGrowth
{
    /** Side of the square around a seed that is looked at. */
    private const SIDE = 384;

    /** Pixels of an area at most. */
    private const MOST = 20_000;

    /** Distance beyond which nothing joins. */
    private const FAR = 12.0;

    /** What deviations are not smaller than, of those of the square: what is alike in all pixels of a seed would let no other join. */
    private const LEAST = 0.04;

    /**
     * @param  list<array{Image, int}>  $bands  on one grid
     * @return array{window: Window, order: list<int>, levels: list<float>} pixels of the window in the order in which they join, and how far the
     *   farthest was up to each
     *
     * @throws Problem where the seed lies outside, or on nodata
     */
    public static function from(array $bands, int $col, int $row): array
    {
        $grid = $bands[0][0]->spec()->grid;
        if ($col < 0 || $row < 0 || $col >= $grid->width || $row >= $grid->height) {
            throw Problem::input('The seed is outside the image.', 'place');
        }
        $half = intdiv(self::SIDE, 2);
        $window = (new Window($col - $half, $row - $half, self::SIDE, self::SIDE))->within($grid->width, $grid->height);
        $columns = array_map(fn (array $band): array => Values::of($band[0], $band[1], $window), $bands);
        $seed = ($row - $window->row) * $window->width + $col - $window->col;
        [$order, $levels] = self::grown($columns, $window->width, $window->height, $seed);
        if ($order === []) {
            throw Problem::input('The seed is on nodata: choose another place.', 'place');
        }

        return ['window' => $window, 'order' => $order, 'levels' => $levels];
    }

    /**
     * @param  list<list<float>>  $columns  values by band, NaN nodata
     * @return array{list<int>, list<float>}
     */
    public static function grown(array $columns, int $width, int $height, int $seed): array
    {
        $valid = Whole::of($columns, $width * $height);
        if (! $valid[$seed]) {
            return [[], []];
        }
        $floors = array_map(fn (array $column): float => self::floor($column, $valid), $columns);
        $count = 0;
        $means = $squares = array_fill(0, count($columns), 0.0);
        // those around the seed tell the first scatter, and are counted again when it is their turn to join
        foreach (self::around($seed, $width, $height) as $pixel) {
            if ($valid[$pixel]) {
                self::joined($columns, $pixel, ++$count, $means, $squares);
            }
        }
        $order = [$seed];
        $levels = [0.0];
        $level = 0.0;
        $queue = new \SplPriorityQueue;
        $queue->setExtractFlags(\SplPriorityQueue::EXTR_BOTH);
        $seen = [$seed => true];
        $offer = function (int $pixel) use ($queue, $columns, $width, $height, $valid, &$seen, &$means, &$squares, &$count, $floors): void {
            foreach (self::sides($pixel, $width, $height) as $next) {
                if ($valid[$next] && ! isset($seen[$next])) {
                    $seen[$next] = true;
                    // of those equally far the earlier pixel joins first
                    $queue->insert($next, [-self::distance($columns, $next, $count, $means, $squares, $floors), -$next]);
                }
            }
        };
        $offer($seed);
        while (! $queue->isEmpty() && count($order) < self::MOST) {
            /** @var array{data: int, priority: array{float, int}} $first */
            $first = $queue->extract();
            $pixel = $first['data'];
            // mean and scatter have moved since it was offered
            $distance = self::distance($columns, $pixel, $count, $means, $squares, $floors);
            if (! $queue->isEmpty()) {
                /** @var array{data: int, priority: array{float, int}} $second */
                $second = $queue->top();
                if ($distance > -$second['priority'][0] && $distance > -1.0001 * $first['priority'][0]) {
                    $queue->insert($pixel, [-$distance, -$pixel]);

                    continue;
                }
            }
            if ($distance > self::FAR) {
                break;
            }
            $level = max($level, $distance);
            $order[] = $pixel;
            $levels[] = $level;
            self::joined($columns, $pixel, ++$count, $means, $squares);
            $offer($pixel);
        }

        return [$order, $levels];
    }

    /**
     * @param  list<float>  $column
     * @param  list<bool>  $valid
     */
    private static function floor(array $column, array $valid): float
    {
        $count = $sum = $squares = 0.0;
        foreach ($valid as $i => $isThere) {
            if ($isThere) {
                $count++;
                $apart = $column[$i] - $sum;
                $sum += $apart / $count;
                $squares += $apart * ($column[$i] - $sum);
            }
        }

        return max(1e-300, self::LEAST ** 2 * $squares / max(1.0, $count));
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<float>  $means
     * @param  list<float>  $squares
     * @param  list<float>  $floors
     */
    private static function distance(array $columns, int $pixel, int $count, array $means, array $squares, array $floors): float
    {
        $sum = 0.0;
        foreach ($columns as $band => $column) {
            $variance = $squares[$band] / $count;
            $apart = $column[$pixel] - $means[$band];
            $sum += $apart * $apart / ($variance > $floors[$band] ? $variance : $floors[$band]);
        }

        return sqrt($sum / count($columns));
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<float>  $means
     * @param  list<float>  $squares
     */
    private static function joined(array $columns, int $pixel, int $count, array &$means, array &$squares): void
    {
        foreach ($columns as $band => $column) {
            $apart = $column[$pixel] - $means[$band];
            $means[$band] += $apart / $count;
            $squares[$band] += $apart * ($column[$pixel] - $means[$band]);
        }
    }

    /** @return list<int> the pixels that share a side */
    private static function sides(int $pixel, int $width, int $height): array
    {
        [$row, $col] = [intdiv($pixel, $width), $pixel % $width];

        return [
            ...($row > 0 ? [$pixel - $width] : []),
            ...($col > 0 ? [$pixel - 1] : []),
            ...($col < $width - 1 ? [$pixel + 1] : []),
            ...($row < $height - 1 ? [$pixel + $width] : []),
        ];
    }

    /** @return list<int> the pixel and those around it */
    private static function around(int $pixel, int $width, int $height): array
    {
        $around = [];
        for ($row = max(0, intdiv($pixel, $width) - 1); $row <= min($height - 1, intdiv($pixel, $width) + 1); $row++) {
            for ($col = max(0, $pixel % $width - 1); $col <= min($width - 1, $pixel % $width + 1); $col++) {
                $around[] = $row * $width + $col;
            }
        }

        return $around;
    }
}
