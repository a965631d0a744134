<?php

namespace Chorometra\Core\Classify\Cases;

use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\Vector\OnGrid;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\ClassColours;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\PolygonMask;

/** Training areas: polygons and points of known classes, laid over a grid. */
final readonly class Areas
{
    private const MOST = 10_000;

    /** Codes that a class map of 8 bits has room for. */
    private const MOST_CODES = 254;

    /**
     * @param  list<array{class: int, number: int, on: PolygonMask|list<array{int, int}>}>  $areas  place of the class in the legend, and number in the file
     * @param  int  $outside  how many lie outside of the grid
     * @param  string|null  $from  the CRS that they were brought from, where that is not the image's
     */
    private function __construct(private Grid $grid, public Legend $legend, public array $areas, public int $outside, public ?string $from) {}

    public function isPoint(int $area): bool
    {
        return ! $this->areas[$area]['on'] instanceof PolygonMask;
    }

    /**
     * @param  string  $field  which property tells the class
     * @param  string|null  $legend  a legend with the classes' codes, names and colours; else a class that is called by a whole number
     *   has that as its code, and others the lowest that are free, in the order in which they come up
     *
     * @throws Problem where a feature has no class, or lies nowhere
     */
    public static function read(string $path, Grid $grid, string $field, ?string $legend = null): self
    {
        $set = Vectors::read($path);
        $areas = $classes = $places = $ids = [];
        $outside = 0;
        foreach ($legend === null ? [] : (array) Document::read($legend, 'legend')['classes'] as ['value' => $code, 'name' => $name, 'colour' => $colour]) {
            $classes[$name] = ['code' => $code, 'colour' => $colour];
        }
        $hasLegend = $classes !== [];
        $number = 0;
        foreach ($set->features() as ['geometry' => $geometry, 'properties' => $properties]) {
            $number++;
            if ($geometry === null) {
                continue;
            }
            // labelled points tell their class as a label
            $told = $properties[$field] ?? ($field === 'class' ? $properties['label'] ?? null : null);
            $name = is_scalar($told) && ! is_bool($told) ? trim((string) $told) : '';
            if ($name === '') {
                throw Problem::input(
                    "$set->name: area $number has no “{$field}”: give it a class, or name its property with class-field; it has "
                        .(implode(', ', array_keys($properties)) ?: 'none').'.',
                    'areas',
                );
            }
            if ($hasLegend && ! isset($classes[$name])) {
                throw Problem::input("$set->name: area $number is “{$name}”, and the legend has no such class.", 'areas');
            }
            if ($number > self::MOST) {
                throw Problem::input("$set->name has more than ".number_format(self::MOST).' areas: use fewer.', 'areas');
            }
            $colour = $properties['colour'] ?? null;
            $classes[$name] ??= ['code' => count($classes) + 1, 'colour' => is_string($colour) && preg_match('/^#[0-9a-f]{6}$/', $colour) ? $colour : null];
            $places[$name] ??= count($places);
            $on = self::inside(OnGrid::of($set, $geometry, $grid, 'areas', "area $number"), $grid);
            if ($on === []) {
                $outside++;
            } else {
                // what is drawn here has numbers of its own
                $own = $properties['number'] ?? null;
                $id = is_int($own) && ! isset($ids[$own]) ? $own : $number;
                $ids[$id] = true;
                $areas[] = ['class' => $places[$name], 'number' => $id, 'on' => $on];
            }
        }
        if ($places === []) {
            throw Problem::input("$set->name contains no areas: draw some of each class first.", 'areas');
        }

        $classes = $hasLegend ? $classes : self::coded($classes);
        $from = $set->crs !== null && $set->crs !== "EPSG:$grid->epsg" ? $set->crs : null;

        return new self($grid, self::dressed($classes, array_keys($places)), $areas, $outside, $from);
    }

    /**
     * @param  array<int|string, array{code: int, colour: string|null}>  $classes  by name
     * @return array<int|string, array{code: int, colour: string|null}>
     */
    private static function coded(array $classes): array
    {
        $taken = [];
        foreach (array_keys($classes) as $name) {
            if (preg_match('/^[1-9]\d{0,4}$/', (string) $name) === 1 && (int) $name <= self::MOST_CODES) {
                $taken[(int) $name] = true;
                $classes[$name]['code'] = (int) $name;
            }
        }
        $next = 1;
        foreach (array_keys($classes) as $name) {
            if ($classes[$name]['code'] !== (int) $name || ! ctype_digit((string) $name)) {
                while (isset($taken[$next])) {
                    $next++;
                }
                $taken[$next] = true;
                $classes[$name]['code'] = $next;
            }
        }

        return $classes;
    }

    /** @return list<int> codes by place of the class */
    public function codes(): array
    {
        return $this->legend->codes();
    }

    /**
     * Runs of pixels inside areas.
     *
     * @return list<array{int, int, int, int}> place of the area, row of the grid, first column, the one after the last
     */
    public function runs(Window $window): array
    {
        $runs = [];
        foreach ($this->areas as $place => ['on' => $on]) {
            if ($on instanceof PolygonMask) {
                $box = $on->bounds;
                if ($box->row >= $window->row + $window->height || $box->row + $box->height <= $window->row
                    || $box->col >= $window->col + $window->width || $box->col + $box->width <= $window->col) {
                    continue;
                }
                foreach ($on->runs($window) as $row => $some) {
                    foreach ($some as [$from, $to]) {
                        $runs[] = [$place, $window->row + $row, $window->col + $from, $window->col + $to];
                    }
                }

                continue;
            }
            foreach ($on as [$col, $row]) {
                if ($row >= $window->row && $row < $window->row + $window->height && $col >= $window->col && $col < $window->col + $window->width) {
                    $runs[] = [$place, $row, $col, $col + 1];
                }
            }
        }

        return $runs;
    }

    /**
     * Windows of the grid in which there is something, no larger than it takes; none reaches into two squares of a side.
     *
     * @return list<Window>
     */
    public function windows(int $side): array
    {
        $found = [];
        foreach ($this->areas as ['on' => $on]) {
            $boxes = $on instanceof PolygonMask ? [$on->bounds->within($this->grid->width, $this->grid->height)]
                : array_map(fn (array $at): Window => new Window($at[0], $at[1], 1, 1), $on);
            foreach ($boxes as $box) {
                for ($y = intdiv($box->row, $side); ! $box->isEmpty() && $y <= intdiv($box->row + $box->height - 1, $side); $y++) {
                    for ($x = intdiv($box->col, $side); $x <= intdiv($box->col + $box->width - 1, $side); $x++) {
                        $found[$y][$x] = true;
                    }
                }
            }
        }
        ksort($found);
        $windows = [];
        foreach ($found as $y => $row) {
            ksort($row);
            foreach (array_keys($row) as $x) {
                $window = $this->around((new Window($x * $side, $y * $side, $side, $side))->within($this->grid->width, $this->grid->height));
                if ($window !== null) {
                    $windows[] = $window;
                }
            }
        }

        return $windows;
    }

    /** The part of a window that areas lie in. */
    private function around(Window $window): ?Window
    {
        $runs = $this->runs($window);
        if ($runs === []) {
            return null;
        }
        [$left, $right] = [min(array_column($runs, 2)), max(array_column($runs, 3))];
        [$top, $bottom] = [min(array_column($runs, 1)), max(array_column($runs, 1)) + 1];

        return new Window($left, $top, $right - $left, $bottom - $top);
    }

    /**
     * @param  PolygonMask|list<array{float, float}>  $on
     * @return PolygonMask|list<array{int, int}> nothing where it lies outside
     */
    private static function inside(PolygonMask|array $on, Grid $grid): PolygonMask|array
    {
        if ($on instanceof PolygonMask) {
            return $on->bounds->within($grid->width, $grid->height)->isEmpty() ? [] : $on;
        }
        $inside = array_filter($on, fn (array $at): bool => $at[0] >= 0.0 && $at[1] >= 0.0 && $at[0] < $grid->width && $at[1] < $grid->height);

        return array_map(fn (array $at): array => [(int) $at[0], (int) $at[1]], array_values($inside));
    }

    /**
     * @param  array<int|string, array{code: int, colour: string|null}>  $classes  by name
     * @param  list<int|string>  $order
     */
    private static function dressed(array $classes, array $order): Legend
    {
        $names = array_map(strval(...), $order);
        $colours = ClassColours::of($names, array_filter(array_map(fn (string $name): ?string => $classes[$name]['colour'], $names)));
        $dressed = [];
        foreach ($names as $place => $name) {
            $code = $classes[$name]['code'];
            if ($code > self::MOST_CODES) {
                throw Problem::input("Class “{$name}” has the code $code; codes of a class map go up to ".self::MOST_CODES.'.', 'areas');
            }
            $dressed[$code] = ['name' => $name, 'colour' => $colours[$place]];
        }

        return new Legend($dressed);
    }
}
