<?php

namespace Chorometra\Core\Raster;

/** Which pixels have their centre inside polygons; holes are outside, and so is what lies in an even number of rings of one polygon. */
final class PolygonMask
{
    /** @var list<list<array{float, float, float, float}>> sides of each polygon in pixels: upper end, lower end */
    private array $sides = [];

    public readonly Window $bounds;

    /** @param  list<list<list<array{float, float}>>>  $polygons  polygons of closed rings, in map coordinates of the grid */
    public function __construct(array $polygons, Grid $grid)
    {
        $left = $top = INF;
        $right = $bottom = -INF;
        foreach ($polygons as $rings) {
            $sides = [];
            foreach ($rings as $ring) {
                $places = array_map(fn (array $place): array => $grid->toPixel(...$place), $ring);
                for ($i = 1, $n = count($places); $i < $n; $i++) {
                    [$a, $b] = $places[$i - 1][1] <= $places[$i][1] ? [$places[$i - 1], $places[$i]] : [$places[$i], $places[$i - 1]];
                    $sides[] = [...$a, ...$b];
                    $left = min($left, $a[0], $b[0]);
                    $right = max($right, $a[0], $b[0]);
                    $top = min($top, $a[1]);
                    $bottom = max($bottom, $b[1]);
                }
            }
            $this->sides[] = $sides;
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
        $rows = array_fill(0, $window->height, []);
        foreach ($this->sides as $sides) {
            $crossings = [];
            foreach ($sides as [$ax, $ay, $bx, $by]) {
                // rows whose centre lies at or below the upper end and above the lower
                $first = max(0, (int) ceil($ay - 0.5) - $window->row);
                $last = min($window->height - 1, (int) ceil($by - 0.5) - 1 - $window->row);
                for ($row = $first; $row <= $last; $row++) {
                    $crossings[$row][] = $ax + ($bx - $ax) * ($window->row + $row + 0.5 - $ay) / ($by - $ay);
                }
            }
            foreach ($crossings as $row => $at) {
                sort($at);
                for ($i = 0; $i + 1 < count($at); $i += 2) {
                    $from = max(0, (int) ceil($at[$i] - 0.5) - $window->col);
                    $to = min($window->width, (int) ceil($at[$i + 1] - 0.5) - $window->col);
                    if ($from < $to) {
                        $rows[$row][] = [$from, $to];
                    }
                }
            }
        }

        return array_map(self::joined(...), $rows);
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
