<?php

namespace Chorometra\Core\Regions\Numbers;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\SideLength;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Regions\Runs\Absorb;
use Chorometra\Core\Regions\Runs\RunBlocks;
use Chorometra\Core\Work\Context;

/** Regions with their sizes, the edges between them, and what of their edge lies against nothing. */
final readonly class Graph
{
    /**
     * Regions go by place, from 0. Lengths are as SideLength has them.
     *
     * @param  list<int>  $numbers  of the regions in their image, rising
     * @param  list<int>  $pixels
     * @param  list<int>  $first  of each pair of neighbours the lesser
     * @param  list<int>  $second
     * @param  list<float>  $length  of the edge between them
     * @param  list<float>  $outer  edge of each region against nodata and the end of the image
     */
    public function __construct(
        public array $numbers,
        public array $pixels,
        public array $first,
        public array $second,
        public array $length,
        public array $outer,
    ) {}

    public static function of(Image $segments, Context $context): self
    {
        $grid = $segments->spec()->grid;
        $pixels = $outer = $pairs = [];
        (new Pass($grid))->gather(
            $context,
            'looking for neighbours',
            function (Window $window) use ($segments, $grid): array {
                [$first, $rows] = [$window->row, $window->height];
                $above = min(1, $first);
                $below = min(1, $grid->height - $first - $rows);
                $labels = Values::codes($segments, new Window(0, $first - $above, $grid->width, $above + $rows + $below));
                $own = $above === 0 ? $labels : array_slice($labels, $grid->width);

                return [Neighbours::sides($own, $grid->width, $rows, $rows + $below), ...self::outside($labels, $grid->width, $above, $rows, $below)];
            },
            function (array $found) use (&$pairs, &$pixels, &$outer): void {
                foreach ($found[0] as $pair => $sides) {
                    $pairs[$pair] = ($pairs[$pair] ?? 0) + $sides;
                }
                foreach ($found[1] as $number => $count) {
                    $pixels[$number] = ($pixels[$number] ?? 0) + $count;
                }
                foreach ($found[2] as $number => $sides) {
                    $outer[$number] = ($outer[$number] ?? 0) + $sides;
                }
            },
        );

        return self::made($pixels, $pairs, $outer, SideLength::of(Ground::of($grid)));
    }

    /** The parts of a map of runs. */
    public static function ofBlocks(RunBlocks $blocks, ?Ground $ground, Context $context): self
    {
        $pixels = $outer = $pairs = [];
        $endsAbove = $partsAbove = [];
        for ($block = 0; $block < $blocks->blocks(); $block++) {
            [$map, $parts] = $blocks->block($block);
            $context->report($block / $blocks->blocks(), 'looking for neighbours');
            for ($row = 0, $rows = $map->rows(); $row < $rows; $row++) {
                [$from, $count] = [$map->rowStart[$row], $map->rowStart[$row + 1] - $map->rowStart[$row]];
                $ends = array_slice($map->ends, $from, $count);
                $own = array_slice($parts, $from, $count);
                Absorb::sides($pairs, $outer, $endsAbove, $partsAbove, $ends, $own);
                $start = 0;
                foreach ($own as $run => $part) {
                    if ($part !== 0) {
                        $pixels[$part] = ($pixels[$part] ?? 0) + $ends[$run] - $start;
                    }
                    $start = $ends[$run];
                }
                [$endsAbove, $partsAbove] = [$ends, $own];
            }
        }
        // below the last row lies nothing
        Absorb::sides($pairs, $outer, $endsAbove, $partsAbove, [$blocks->width], [0]);

        return self::made($pixels, $pairs, $outer, SideLength::of($ground));
    }

    public function count(): int
    {
        return count($this->numbers);
    }

    /**
     * Pixels of each number, and their sides against nothing.
     *
     * @param  list<int>  $labels  $above, $rows and $below rows
     * @return array{array<int, int>, array<int, int>} by number; sides between columns, and those between rows times 2³²
     */
    public static function outside(array $labels, int $width, int $above, int $rows, int $below): array
    {
        $pixels = $outer = [];
        $end = ($above + $rows + $below) * $width;
        for ($row = 0, $i = $above * $width; $row < $rows; $row++) {
            $last = $i + $width;
            while ($i < $last) {
                // a run of one number at a time
                $own = $labels[$i];
                $from = $i;
                $sides = 0;
                do {
                    if ($own > 0) {
                        if ($i < $width || $labels[$i - $width] === 0) {
                            $sides++;
                        }
                        if ($i + $width >= $end || $labels[$i + $width] === 0) {
                            $sides++;
                        }
                    }
                    $i++;
                } while ($i < $last && $labels[$i] === $own);
                if ($own > 0) {
                    $pixels[$own] = ($pixels[$own] ?? 0) + $i - $from;
                    $sides <<= 32;
                    if ($from + $width === $last || $labels[$from - 1] === 0) {
                        $sides++;
                    }
                    if ($i === $last || $labels[$i] === 0) {
                        $sides++;
                    }
                    if ($sides > 0) {
                        $outer[$own] = ($outer[$own] ?? 0) + $sides;
                    }
                }
            }
        }

        return [$pixels, $outer];
    }

    /**
     * @param  array<int, int>  $pixels  by number
     * @param  array<int, int>  $pairs  sides by both numbers
     * @param  array<int, int>  $outer
     */
    private static function made(array $pixels, array $pairs, array $outer, SideLength $side): self
    {
        ksort($pixels);
        ksort($pairs);
        $length = fn (int $sides): float => $side->along($sides & 0xFFFFFFFF, $sides >> 32);
        $numbers = array_keys($pixels);
        $places = array_flip($numbers);
        $first = $second = $lengths = [];
        foreach ($pairs as $pair => $sides) {
            $first[] = $places[$pair >> 32];
            $second[] = $places[$pair & 0xFFFFFFFF];
            $lengths[] = $length($sides);
        }

        return new self(
            $numbers,
            array_values($pixels),
            $first,
            $second,
            $lengths,
            array_map(fn (int $number): float => $length($outer[$number] ?? 0), $numbers),
        );
    }
}
