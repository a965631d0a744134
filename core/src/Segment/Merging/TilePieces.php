<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Regions\Numbers\Neighbours;

/**
 * Pieces as one tile sees them, with some pixels around it: small ones, the larger that these make, and what those join to below the first limit. Of the
 * last those inside the tile stand; others come apart into the larger ones, of which those inside stand too. Of those across its edge, and of the small
 * ones that they are made of, the tile tells which begin in it: they stand where the other tiles leave them room (Pieces).
 */
final readonly class TilePieces
{
    /**
     * @param  list<int>  $ids  first pixels in the image of pieces inside, rising
     * @param  list<float>  $records  in the same order
     * @param  list<int>  $numbers  for each pixel of the tile its piece, from 1; 0 for none and for what is free
     * @param  list<array{list<float>, list<int>}>  $larger  records and pixels of larger pieces across the edge, and of small ones
     * @param  list<array{list<float>, list<int>}>  $small
     * @param  list<int>  $free  pixels that no piece inside has
     * @param  list<float>  $values  those of each of these, band by band
     */
    private function __construct(
        public array $ids,
        public array $records,
        public array $numbers,
        public array $larger,
        public array $small,
        public array $free,
        public array $values,
    ) {}

    /**
     * @param  list<list<float>>  $values  of the bands in a window around the tile, as they are merged; NaN where a pixel is none
     * @param  float  $limit  of what a join costs
     */
    public static function of(array $values, Window $tile, Window $window, Grid $grid, float $limit, float $compact, float $smooth, float $quantum): self
    {
        $width = $window->width;
        $first = $window->row * $grid->width + $window->col;
        $roots = SmallPieces::of($values, $width, $window->height, $first, $grid->width, $limit);
        [$numbers, $firsts] = self::numbered($roots, $values[0], $window->pixels());
        $count = count($firsts);
        $bands = count($values);
        $records = RegionRecords::of($values, $numbers, $count, $width, $window->height, $window->col, $window->row, $compact, $smooth);
        $ids = self::ids($firsts, $width, $grid->width, $first);
        [$ends, $lengths] = self::edges($numbers, $width, $window->height);
        $state = ['r' => $records, 'ends' => $ends, 'len' => $lengths, 'cost' => array_fill(0, count($lengths), 0.0)];
        MergeKernel::costs($bands, $compact, $smooth, $quantum)($state, array_keys($lengths));
        $into = LargerPieces::of($records, MergeKernel::stride($bands), $ids, $ends, $state['cost'], $limit);
        $joined = $records;
        MergeKernel::together($bands, $compact, $smooth)($joined, $into, $ends, $lengths, $count);
        [$whole, $regions] = self::climbed($joined, $ids, $into, $ends, $lengths, $bands, $limit, $compact, $smooth, $quantum);

        return self::sorted($values, $numbers, $ids, $into, $whole, $records, $joined, $regions, $tile, $window, $grid);
    }

    /**
     * What larger pieces join to below the first limit.
     *
     * @param  list<float>  $joined
     * @param  list<int>  $ids
     * @param  list<int>  $into
     * @param  list<int>  $ends
     * @param  list<int>  $lengths
     * @return array{list<int>, array<int, list<float>>} for each small piece the first of its region, and records by that
     */
    private static function climbed(
        array $joined,
        array $ids,
        array $into,
        array $ends,
        array $lengths,
        int $bands,
        float $limit,
        float $compact,
        float $smooth,
        float $quantum,
    ): array {
        $stride = MergeKernel::stride($bands);
        $records = $firsts = $places = [];
        foreach ($into as $k => $root) {
            if ($root === $k) {
                $places[$k] = count($firsts);
                $firsts[] = $ids[$k];
                array_push($records, ...array_slice($joined, $k * $stride, $stride));
            }
        }
        $pairs = self::between($into, $places, $ends, $lengths, count($lengths));
        $both = [];
        foreach (array_keys($pairs) as $key) {
            $both[] = $key >> 32;
            $both[] = $key & 0xFFFFFFFF;
        }
        $graph = new RegionGraph($records, $firsts, $both, array_values($pairs), $bands, $compact, $smooth, $quantum);
        $graph->climb(sqrt($limit));
        [$first, $second] = $graph->joins();
        $gone = array_combine($second, $first);
        $place = array_combine($firsts, array_keys($places));
        $whole = [];
        foreach ($into as $k => $root) {
            // the first of a region comes before the others, and is settled
            $whole[] = $root !== $k ? $whole[$root] : (isset($gone[$ids[$k]]) ? $whole[$place[$gone[$ids[$k]]]] : $k);
        }
        $regions = [];
        foreach ($graph->regions() as $id => $record) {
            $regions[$place[$id]] = $record;
        }

        return [$whole, $regions];
    }

    /**
     * Sides between larger pieces.
     *
     * @param  list<int>  $into
     * @param  array<int, int>  $places
     * @param  list<int>  $ends
     * @param  list<int>  $lengths
     * @return array<int, int> by both places
     */
    private static function between(array $into, array $places, array $ends, array $lengths, int $count): array
    {
        $pairs = [];
        for ($e = 0; $e < $count; $e++) {
            $u = $places[$into[$ends[2 * $e]]];
            $v = $places[$into[$ends[2 * $e + 1]]];
            if ($u !== $v) {
                $key = $u < $v ? $u << 32 | $v : $v << 32 | $u;
                $pairs[$key] = ($pairs[$key] ?? 0) + $lengths[$e];
            }
        }

        return $pairs;
    }

    /**
     * @param  list<int>  $roots
     * @param  list<float>  $values
     * @return array{list<int>, list<int>} by pixel from 1, 0 for none; and the first pixel of each
     */
    private static function numbered(array $roots, array $values, int $count): array
    {
        $numbers = $firsts = [];
        for ($i = 0, $last = 0; $i < $count; $i++) {
            $root = $roots[$i];
            if ($root !== $i) {
                $numbers[] = $numbers[$root];
            } elseif ($values[$i] === $values[$i]) {
                $numbers[] = ++$last;
                $firsts[] = $i;
            } else {
                $numbers[] = 0;
            }
        }

        return [$numbers, $firsts];
    }

    /**
     * @param  list<int>  $firsts
     * @return list<int>
     */
    private static function ids(array $firsts, int $width, int $across, int $first): array
    {
        foreach ($firsts as $k => $pixel) {
            $firsts[$k] = $first + intdiv($pixel, $width) * $across + $pixel % $width;
        }

        return $firsts;
    }

    /**
     * @param  list<int>  $numbers
     * @return array{list<int>, list<int>} places of both, pair by pair, and sides between them
     */
    private static function edges(array $numbers, int $width, int $height): array
    {
        $ends = $lengths = [];
        $pairs = Neighbours::sides($numbers, $width, $height, $height);
        ksort($pairs);
        foreach ($pairs as $key => $sides) {
            $ends[] = ($key >> 32) - 1;
            $ends[] = ($key & 0xFFFFFFFF) - 1;
            $lengths[] = ($sides >> 32) + ($sides & 0xFFFFFFFF);
        }

        return [$ends, $lengths];
    }

    /**
     * How far each piece goes: 1 across the edge of the tile, 2 to where the window ends but the image goes on.
     *
     * @param  list<int>  $numbers
     * @return list<int> by place
     */
    private static function reach(array $numbers, int $count, Window $tile, Window $window, Grid $grid): array
    {
        $reach = array_fill(0, $count + 1, 0);
        [$left, $top] = [$tile->col - $window->col, $tile->row - $window->row];
        [$right, $bottom] = [$left + $tile->width, $top + $tile->height];
        $endsLeft = $window->col > 0 ? 0 : -1;
        $endsTop = $window->row > 0 ? 0 : -1;
        $endsRight = $window->col + $window->width < $grid->width ? $window->width - 1 : -1;
        $endsBottom = $window->row + $window->height < $grid->height ? $window->height - 1 : -1;
        for ($i = 0, $row = 0; $row < $window->height; $row++) {
            for ($col = 0; $col < $window->width; $col++, $i++) {
                if ($col >= $left && $col < $right && $row >= $top && $row < $bottom) {
                    continue;
                }
                $k = $numbers[$i];
                if ($col === $endsLeft || $col === $endsRight || $row === $endsTop || $row === $endsBottom) {
                    $reach[$k] = 2;
                } elseif ($reach[$k] === 0) {
                    $reach[$k] = 1;
                }
            }
        }

        return array_slice($reach, 1);
    }

    /**
     * @param  list<list<float>>  $values
     * @param  list<int>  $numbers
     * @param  list<int>  $ids
     * @param  list<int>  $into
     * @param  list<int>  $whole
     * @param  list<float>  $records
     * @param  list<float>  $joined
     * @param  array<int, list<float>>  $regions
     */
    private static function sorted(
        array $values,
        array $numbers,
        array $ids,
        array $into,
        array $whole,
        array $records,
        array $joined,
        array $regions,
        Window $tile,
        Window $window,
        Grid $grid,
    ): self {
        $count = count($into);
        $stride = MergeKernel::stride(count($values));
        $reach = self::reach($numbers, $count, $tile, $window, $grid);
        $farthest = $widest = $given = $named = array_fill(0, $count, 0);
        foreach ($into as $k => $root) {
            $farthest[$root] = max($farthest[$root], $reach[$k]);
            $widest[$whole[$k]] = max($widest[$whole[$k]], $reach[$k]);
        }
        $inside = $made = $found = $free = $read = [];
        $last = 0;
        for ($row = $tile->row; $row < $tile->row + $tile->height; $row++) {
            $i = ($row - $window->row) * $window->width + $tile->col - $window->col;
            for ($col = $tile->col; $col < $tile->col + $tile->width; $col++, $i++) {
                $root = $numbers[$i] > 0 ? $into[$numbers[$i] - 1] : -1;
                if ($root > -1 && $widest[$whole[$root]] === 0) {
                    $all = $whole[$root];
                    if ($named[$all] === 0) {
                        $named[$all] = ++$last;
                        $inside[] = $row * $grid->width + $col;
                        array_push($made, ...$regions[$all]);
                    }
                    $found[] = $named[$all];
                } elseif ($root > -1 && $farthest[$root] === 0) {
                    if ($given[$root] === 0) {
                        $given[$root] = ++$last;
                        $inside[] = $row * $grid->width + $col;
                        array_push($made, ...array_slice($joined, $root * $stride, $stride));
                    }
                    $found[] = $given[$root];
                } else {
                    $found[] = 0;
                    if ($root > -1) {
                        $free[] = $row * $grid->width + $col;
                        foreach ($values as $band) {
                            $read[] = $band[$i];
                        }
                    }
                }
            }
        }
        $pixels = $apart = [];
        foreach ($numbers as $i => $number) {
            $root = $number > 0 ? $into[$number - 1] : -1;
            if ($root > -1 && $farthest[$root] > 0) {
                $id = ($window->row + intdiv($i, $window->width)) * $grid->width + $window->col + $i % $window->width;
                $pixels[$root][] = $id;
                $apart[$number - 1][] = $id;
            }
        }
        $isFree = array_flip($free);
        $begins = fn (int $k): bool => isset($isFree[$ids[$k]]);
        $larger = $small = [];
        foreach ($pixels as $root => $of) {
            if ($farthest[$root] === 1 && $begins($root)) {
                $larger[] = [array_values(array_slice($joined, $root * $stride, $stride)), $of];
            }
        }
        foreach ($apart as $k => $of) {
            if ($reach[$k] < 2 && $begins($k) && count($of) > 1) {
                $small[] = [array_values(array_slice($records, $k * $stride, $stride)), $of];
            }
        }

        return new self($inside, $made, $found, $larger, $small, $free, $read);
    }
}
