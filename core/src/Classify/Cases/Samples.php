<?php

namespace Chorometra\Core\Classify\Cases;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\Comoments;

/** What lies in training areas: values of pixels or of segments, each of a class and from an area. */
final readonly class Samples
{
    private const SIDE = 256;

    /** Values that are held at a time: of more pixels every so many are taken. */
    private const MOST_VALUES = 8_000_000;

    /**
     * @param  list<list<float>>  $columns  by band, without NaN
     * @param  list<int>  $answers  place of the class in the legend
     * @param  list<int>  $areas  number of the area in its file
     * @param  list<int>  $places  pixel, counted along the rows of the grid, or number of a segment
     * @param  array{nodata: int, masked: int, between: int, every: int}  $left  what was left out: without a value, under the mask, in areas of
     *   several classes; and every how many-th was taken
     */
    public function __construct(
        public Legend $legend,
        public array $columns,
        public array $answers,
        public array $areas,
        public array $places,
        public array $left = ['nodata' => 0, 'masked' => 0, 'between' => 0, 'every' => 1],
    ) {}

    /**
     * @param  list<array{Image, int}>  $bands  on one grid
     * @param  array{Image, array<int, true>}|null  $mask  codes of it that are left out
     */
    public static function ofPixels(Areas $areas, array $bands, ?array $mask = null): self
    {
        $windows = $areas->windows(self::SIDE);
        $total = 0;
        foreach ($windows as $window) {
            foreach ($areas->runs($window) as [, , $from, $to]) {
                $total += $to - $from;
            }
        }
        $every = max(1, (int) ceil($total * count($bands) / self::MOST_VALUES));
        $columns = array_fill(0, count($bands), []);
        $answers = $numbers = $places = [];
        $left = ['nodata' => 0, 'masked' => 0, 'between' => 0, 'every' => $every];
        $seen = 0;
        foreach ($windows as $window) {
            $owners = self::owners($areas, $window, $left['between']);
            if ($every > 1) {
                $owners = array_filter($owners, function () use (&$seen, $every): bool {
                    return $seen++ % $every === 0;
                });
            }
            if ($owners === []) {
                continue;
            }
            ksort($owners);
            if ($mask !== null) {
                [$image, $codes] = $mask;
                $there = Values::codes($image, $window);
                $before = count($owners);
                $owners = array_filter($owners, fn (int $at): bool => ! isset($codes[$there[$at]]), ARRAY_FILTER_USE_KEY);
                $left['masked'] += $before - count($owners);
            }
            $values = array_map(fn (array $band): array => Values::of($band[0], $band[1], $window), $bands);
            $width = $bands[0][0]->spec()->grid->width;
            foreach ($owners as $at => $area) {
                $sum = 0.0;
                foreach ($values as $column) {
                    $sum += $column[$at];
                }
                if (! is_finite($sum)) {
                    $left['nodata']++;

                    continue;
                }
                foreach ($values as $band => $column) {
                    $columns[$band][] = $column[$at];
                }
                $answers[] = $areas->areas[$area]['class'];
                $numbers[] = $areas->areas[$area]['number'];
                $places[] = ($window->row + intdiv($at, $window->width)) * $width + $window->col + $at % $window->width;
            }
        }

        return new self($areas->legend, $columns, $answers, $numbers, $places, $left);
    }

    /**
     * Segments that areas of one class stand for.
     *
     * @param  list<int>  $numbers  rising
     * @param  list<float>  $pixels  of each
     * @param  list<list<float>>  $columns  measures of each
     */
    public static function ofSegments(Areas $areas, Image $segments, array $numbers, array $pixels, array $columns): self
    {
        $between = 0;
        $examples = new ExampleSegments;
        $shares = [];
        foreach ($areas->windows(self::SIDE) as $window) {
            $codes = Values::codes($segments, $window);
            foreach (self::owners($areas, $window, $between) as $at => $area) {
                $examples->add($codes[$at], $areas->areas[$area]['class'], $areas->isPoint($area));
                $shares[$codes[$at]][$area] = ($shares[$codes[$at]][$area] ?? 0) + 1;
            }
        }
        $index = array_flip($numbers);
        $own = array_fill(0, count($columns), []);
        $answers = $of = $places = [];
        $left = ['nodata' => 0, 'masked' => 0, 'between' => $between, 'every' => 1];
        foreach ($examples->touched() as $segment) {
            $place = $index[$segment] ?? null;
            $classes = $place === null ? [] : $examples->answers($segment, $pixels[$place]);
            if (count($classes) > 1) {
                $left['between'] += (int) $pixels[$place];
            }
            if (count($classes) !== 1) {
                continue;
            }
            [$class] = $classes;
            $row = array_map(fn (array $column): float => $column[$place], $columns);
            if (! is_finite(array_sum($row))) {
                $left['nodata']++;

                continue;
            }
            arsort($shares[$segment]);
            $answers[] = $class;
            foreach (array_keys($shares[$segment]) as $area) {
                if ($areas->areas[$area]['class'] === $class) {
                    $of[] = $areas->areas[$area]['number'];
                    break;
                }
            }
            $places[] = $segment;
            foreach ($row as $measure => $value) {
                $own[$measure][] = $value;
            }
        }

        return new self($areas->legend, $own, $answers, $of, $places, $left);
    }

    public function count(): int
    {
        return count($this->answers);
    }

    /** @return list<string> names of the classes by place */
    public function names(): array
    {
        return array_column($this->legend->classes, 'name');
    }

    /** @return list<list<int>> cases by class */
    public function byClass(): array
    {
        $cases = array_fill(0, count($this->legend->classes), []);
        foreach ($this->answers as $case => $class) {
            $cases[$class][] = $case;
        }

        return $cases;
    }

    /** @return list<Comoments> by class */
    public function comoments(): array
    {
        return array_map(fn (array $cases): Comoments => Comoments::of($this->only($cases)->columns, count($cases)), $this->byClass());
    }

    /** @return array<int, list<int>> cases by number of the area */
    public function byArea(): array
    {
        $cases = [];
        foreach ($this->areas as $case => $area) {
            $cases[$area][] = $case;
        }

        return $cases;
    }

    /** @param  list<int>  $cases */
    public function only(array $cases): self
    {
        $pick = fn (array $values): array => array_map(fn (int $case): int|float => $values[$case], $cases);

        return new self($this->legend, array_map($pick, $this->columns), $pick($this->answers), $pick($this->areas), $pick($this->places), $this->left);
    }

    /**
     * At most so many of each class, evenly far apart.
     */
    public function atMost(int $most): self
    {
        $cases = [];
        foreach ($this->byClass() as $own) {
            $step = max(1.0, count($own) / $most);
            for ($at = 0.0; $at < count($own); $at += $step) {
                $cases[] = $own[(int) $at];
            }
        }
        sort($cases);

        return count($cases) === $this->count() ? $this : $this->only($cases);
    }

    /**
     * What nothing can be learnt from.
     *
     * @throws Problem that names the class
     */
    public function check(string $unit): void
    {
        if (count($this->legend->classes) < 2) {
            throw Problem::input("All areas are “{$this->names()[0]}”: a map needs two classes at least.", 'areas');
        }
        foreach ($this->byClass() as $class => $cases) {
            if (count($cases) < 2) {
                throw Problem::input(
                    "Class “{$this->names()[$class]}” has ".($cases === [] ? "no $unit with a value" : "one $unit").' in its areas: draw larger ones, '
                        .'inside the image and where it has values.',
                    'areas',
                );
            }
        }
    }

    /**
     * The area that each pixel of a window lies in; none where classes contradict each other.
     *
     * @return array<int, int> place of the area by place in the window
     */
    private static function owners(Areas $areas, Window $window, int &$between): array
    {
        $owners = $lost = [];
        foreach ($areas->runs($window) as [$area, $row, $from, $to]) {
            $class = $areas->areas[$area]['class'];
            $at = ($row - $window->row) * $window->width - $window->col;
            for ($col = $from; $col < $to; $col++) {
                $there = $owners[$at + $col] ?? null;
                if ($there === null) {
                    $owners[$at + $col] = $area;
                } elseif ($areas->areas[$there]['class'] !== $class) {
                    $lost[$at + $col] = true;
                }
            }
        }
        $between += count($lost);

        return array_diff_key($owners, $lost);
    }
}
