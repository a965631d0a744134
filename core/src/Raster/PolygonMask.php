<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;

/** Which pixels have their centre inside polygons; holes are outside, and so is what lies in an even number of rings of one polygon. */
final class PolygonMask
{
    /** Sides over the image; more would take the memory of a scene. */
    private const MOST_SIDES = 1_500_000;

    /** Crossings of rows that are held at a time. */
    private const MOST_CROSSINGS = 1 << 20;

    /** @var list<float> upper end of each side in pixels, and its lower end */
    private array $ax = [];

    /** @var list<float> */
    private array $ay = [];

    /** @var list<float> */
    private array $bx = [];

    /** @var list<float> */
    private array $by = [];

    /** @var list<array{int, int, float, float, float}> of each polygon: its first side and the one after its last, top, bottom and left edge */
    private array $polygons = [];

    public readonly Window $bounds;

    /** @var array{Window, list<list<array{int, int}>>}|null what was asked last: bands are cut in turn */
    private ?array $last = null;

    /**
     * @param  iterable<list<list<array{float, float}>>>  $polygons  polygons of closed rings, in map coordinates of the grid
     *
     * @throws Problem where they have more corners over the image than can be held
     */
    public function __construct(iterable $polygons, Grid $grid)
    {
        $left = $top = INF;
        $right = $bottom = -INF;
        foreach ($polygons as $rings) {
            $first = count($this->ax);
            $box = [INF, -INF, INF];
            foreach ($rings as $ring) {
                [$x, $y] = [0.0, 0.0];
                foreach ($ring as $i => $place) {
                    [$px, $py] = [$x, $y];
                    [$x, $y] = $grid->toPixel($place[0], $place[1]);
                    $left = $x < $left ? $x : $left;
                    $right = $x > $right ? $x : $right;
                    $top = $y < $top ? $y : $top;
                    $bottom = $y > $bottom ? $y : $bottom;
                    // sides beyond the rows of the image, to the right of it, or along a row change nothing
                    if ($i === 0 || $py === $y || max($py, $y) <= 0.0 || min($py, $y) >= $grid->height || min($px, $x) > $grid->width) {
                        continue;
                    }
                    $isDown = $py < $y;
                    $this->ax[] = $isDown ? $px : $x;
                    $this->ay[] = $isDown ? $py : $y;
                    $this->bx[] = $isDown ? $x : $px;
                    $this->by[] = $isDown ? $y : $py;
                    $box = [min($box[0], $py, $y), max($box[1], $py, $y), min($box[2], $px, $x)];
                }
            }
            if (count($this->ax) > self::MOST_SIDES) {
                throw Problem::input(
                    'The polygons have more than '.number_format(self::MOST_SIDES).' corners over the image: simplify them, or take fewer at a time.',
                    'area',
                );
            }
            if (count($this->ax) > $first) {
                $this->polygons[] = [$first, count($this->ax), ...$box];
            }
        }
        $this->bounds = $left > $right ? new Window(0, 0, 0, 0) : self::box(max(-1e9, $left), max(-1e9, $top), min(1e9, $right), min(1e9, $bottom));
    }

    /** The pixels whose centres lie in the box around the polygons; where it holds none, those that it touches. */
    private static function box(float $left, float $top, float $right, float $bottom): Window
    {
        [$col, $row, $end, $last] = [(int) ceil($left - 0.5), (int) ceil($top - 0.5), (int) ceil($right - 0.5), (int) ceil($bottom - 0.5)];
        if ($col >= $end) {
            [$col, $end] = [(int) floor($left), (int) floor($left) + 1];
        }
        if ($row >= $last) {
            [$row, $last] = [(int) floor($top), (int) floor($top) + 1];
        }

        return new Window($col, $row, $end - $col, $last - $row);
    }

    /**
     * Runs of pixels inside, by row of the window: first column and the one after the last, counted in the window.
     *
     * @return list<list<array{int, int}>>
     */
    public function runs(Window $window): array
    {
        if ($this->last !== null && $this->last[0] == $window) {
            return $this->last[1];
        }
        $rows = array_fill(0, $window->height, []);
        foreach ($this->polygons as [$from, $to, $top, $bottom, $left]) {
            if ($bottom <= $window->row || $top >= $window->row + $window->height || $left >= $window->col + $window->width) {
                continue;
            }
            // few rows at a time where a polygon has many sides
            $step = max(1, intdiv(self::MOST_CROSSINGS, $to - $from));
            for ($row = 0; $row < $window->height; $row += $step) {
                $some = self::crossings(
                    $this->ax,
                    $this->ay,
                    $this->bx,
                    $this->by,
                    $from,
                    $to,
                    $window->col,
                    $window->row + $row,
                    $window->width,
                    min($step, $window->height - $row),
                );
                foreach ($some as $at => $columns) {
                    $rows[$row + $at] = self::between($columns, $window->width, $rows[$row + $at]);
                }
            }
        }
        $runs = array_map(self::joined(...), $rows);
        $this->last = [$window, $runs];

        return $runs;
    }

    /**
     * The first pixel whose centre lies beyond each crossing of a row with a side, by row; rows are counted from $top.
     *
     * Sides from $from to before $to, over a window of $width × $height pixels from $left, $top.
     *
     * @param  list<float>  $ax
     * @param  list<float>  $ay
     * @param  list<float>  $bx
     * @param  list<float>  $by
     * @return array<int, list<int>>
     */
    private static function crossings(array $ax, array $ay, array $bx, array $by, int $from, int $to, int $left, int $top, int $width, int $height): array
    {
        $rows = [];
        for ($side = $from; $side < $to; $side++) {
            $y0 = $ay[$side];
            $y1 = $by[$side];
            if ($y1 <= $top || $y0 >= $top + $height) {
                continue;
            }
            // rows whose centre lies at or below the upper end and above the lower
            $first = (int) ceil($y0 - 0.5) - $top;
            $last = (int) ceil($y1 - 0.5) - 1 - $top;
            $first = $first > 0 ? $first : 0;
            $last = $last < $height ? $last : $height - 1;
            $x0 = $ax[$side];
            $dx = $bx[$side] - $x0;
            $dy = $y1 - $y0;
            for ($row = $first; $row <= $last; $row++) {
                $col = $x0 + $dx * ($top + $row + 0.5 - $y0) / $dy - 0.5 - $left;
                $rows[$row][] = $col <= 0.0 ? 0 : ($col >= $width ? $width : (int) ceil($col));
            }
        }

        return $rows;
    }

    /**
     * What lies between crossings, put to the runs of a row.
     *
     * @param  list<int>  $columns
     * @param  list<array{int, int}>  $runs
     * @return list<array{int, int}>
     */
    private static function between(array $columns, int $width, array $runs): array
    {
        if (count($columns) > 2 * $width) {
            // two at one pixel are as none
            $odd = array_filter(array_count_values($columns), fn (int $times): bool => ($times & 1) === 1);
            $columns = array_keys($odd);
        }
        sort($columns);
        // sides to the right of the image were left out: what is open there reaches its edge
        if ((count($columns) & 1) === 1) {
            $columns[] = $width;
        }
        for ($i = 0, $n = count($columns); $i + 1 < $n; $i += 2) {
            if ($columns[$i] < $columns[$i + 1]) {
                $runs[] = [$columns[$i], $columns[$i + 1]];
            }
        }

        return $runs;
    }

    /**
     * Puts $nodata wherever a pixel lies outside.
     *
     * @template T of int|float
     *
     * @param  array<int, T>  $values  of the window
     * @param  T  $nodata
     * @return array<int, T>
     */
    public function cut(array $values, Window $window, int|float $nodata): array
    {
        foreach ($this->runs($window) as $row => $runs) {
            $at = $row * $window->width;
            $col = 0;
            foreach ([...$runs, [$window->width, $window->width]] as [$from, $to]) {
                for (; $col < $from; $col++) {
                    $values[$at + $col] = $nodata;
                }
                $col = $to;
            }
        }

        return $values;
    }

    /**
     * @param  list<array{int, int}>  $runs
     * @return list<array{int, int}>
     */
    private static function joined(array $runs): array
    {
        sort($runs);
        $out = [];
        foreach ($runs as $run) {
            $last = array_pop($out);
            if ($last === null || $run[0] > $last[1]) {
                array_push($out, ...($last === null ? [$run] : [$last, $run]));
            } else {
                $out[] = [$last[0], max($last[1], $run[1])];
            }
        }

        return $out;
    }
}
