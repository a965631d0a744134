<?php

namespace Chorometra\Core\Regions\Measures;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\SideLength;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Work\Context;

/** What blocks of rows add to each segment, on all workers. Blocks number the segments that they meet by themselves. */
final class Collector
{
    private int $most = 0;

    public function __construct(private readonly Image $segments, private readonly Context $context) {}

    /**
     * Pixels, sums of columns, rows, their squares and products, square metres, and sides of pixels towards other segments (between columns, between
     * rows), in metres.
     *
     * @return array{int, list<list<float>>} the greatest number, and by measure a value for each number from 0
     */
    public function shapes(?Ground $ground): array
    {
        $grid = $this->segments->spec()->grid;
        $sums = array_fill(0, 8, []);
        $this->blocks('measuring shapes', function (Window $window) use ($ground, $grid): array {
            $above = min(1, $window->row);
            $below = min(1, $grid->height - $window->row - $window->height);
            $labels = $this->labels(new Window(0, $window->row - $above, $window->width, $above + $window->height + $below));
            $areas = $wide = $high = [];
            for ($row = $window->row; $row < $window->row + $window->height; $row++) {
                foreach ($ground?->pieces($row) ?? [[0, $window->width, 1.0]] as [, $count, $area]) {
                    array_push($areas, ...array_fill(0, $count, $area));
                }
                $middle = 0.5 * $window->width;
                $wide[] = $ground?->distance([$middle - 0.5, $row], [$middle + 0.5, $row]) ?? 1.0;
                $high[] = $ground?->distance([$middle, $row], [$middle, $row + 1.0]) ?? 1.0;
            }

            return Kernels::shapes($labels, $window->width, $above, $window->height, $below, $window->row, $areas, $wide, $high);
        }, function (array $numbers, array $found) use (&$sums): void {
            foreach ($found as $k => $values) {
                foreach ($numbers as $i => $number) {
                    $sums[$k][$number] = ($sums[$k][$number] ?? 0.0) + $values[$i];
                }
            }
        });

        return [$this->most, array_map(fn (array $values): array => $this->whole($values, 0.0), $sums)];
    }

    /**
     * Valid pixels, means, sums of squared deviations, least and greatest values of bands.
     *
     * @param  array<string, array{Image, int}>  $bands
     * @return array<string, list<list<float>>> by band, by measure a value for each number from 0
     */
    public function values(array $bands): array
    {
        $all = array_fill_keys(array_keys($bands), array_fill(0, 5, []));
        $this->blocks('measuring values', function (Window $window) use ($bands): array {
            [$places, $numbers] = Kernels::places($this->labels($window), 0, $window->pixels());

            return [$numbers, array_map(
                fn (array $band): array => Kernels::values($places, Values::of($band[0], $band[1], $window), $window->pixels(), count($numbers)),
                $bands,
            )];
        }, function (array $numbers, array $found) use (&$all): void {
            foreach ($found as $name => $some) {
                self::add($all[$name], $numbers, $some);
            }
        });

        return array_map(fn (array $one): array => array_map(fn (int $k): array => $this->whole($one[$k], $k === 0 ? 0.0 : NAN), array_keys($one)), $all);
    }

    /**
     * The middle value of a band; of an even number the mean of the two in the middle.
     *
     * @return list<float>
     */
    public function medians(Image $image, int $band): array
    {
        $values = [];
        $this->blocks('finding medians', function (Window $window) use ($image, $band): array {
            [$numbers, $lists] = Kernels::lists($this->labels($window), Values::of($image, $band, $window), $window->pixels());

            return [$numbers, array_map(fn (array $some): string => pack('e*', ...$some), $lists)];
        }, function (array $numbers, array $found) use (&$values): void {
            foreach ($numbers as $i => $number) {
                $values[$number] = ($values[$number] ?? '').$found[$i];
            }
        });
        $medians = [];
        foreach ($values as $number => $packed) {
            $some = array_values((array) unpack('e*', $packed));
            sort($some);
            $count = count($some);
            $medians[$number] = $count === 0 ? NAN : 0.5 * ($some[intdiv($count - 1, 2)] + $some[intdiv($count, 2)]);
        }

        return $this->whole($medians, NAN);
    }

    /**
     * How much of the edge of each segment faces a class, and all of its edge: the end of the image and nodata are edge too.
     *
     * @return array{list<float>, list<float>}
     */
    public function facing(Image $map, int $code, SideLength $side): array
    {
        $grid = $this->segments->spec()->grid;
        $sums = [[], []];
        $this->blocks('looking around', function (Window $window) use ($map, $code, $side, $grid): array {
            $above = min(1, $window->row);
            $below = min(1, $grid->height - $window->row - $window->height);
            $whole = new Window(0, $window->row - $above, $window->width, $above + $window->height + $below);
            $codes = Values::codes($map, $whole);

            return Kernels::facing($this->labels($whole), $codes, $code, $side, $window->width, $above, $window->height, $below);
        }, function (array $numbers, array $found) use (&$sums): void {
            foreach ($found as $k => $values) {
                foreach ($numbers as $i => $number) {
                    $sums[$k][$number] = ($sums[$k][$number] ?? 0.0) + $values[$i];
                }
            }
        });

        return [$this->whole($sums[0], 0.0), $this->whole($sums[1], 0.0)];
    }

    /**
     * How far the nearest pixel of a class is from the nearest pixel of each segment, from middle to middle: 0 where the segment holds one, NaN where
     * there is none anywhere.
     *
     * @param  array{float, float}  $steps  of a column and of a row
     * @return list<float>
     */
    public function distances(Image $map, int $code, array $steps): array
    {
        $columns = new ColumnDistances($map, $code, $this->context);
        $least = [];
        $this->blocks('measuring distances', function (Window $window) use ($columns, $steps): array {
            [$places, $numbers] = Kernels::places($this->labels($window), 0, $window->pixels());
            $least = array_fill(0, count($numbers), INF);
            foreach ($columns->rows($window->row, $window->height) as $row => $far) {
                Kernels::nearest($least, $places, $row * $window->width, Kernels::along($far, $window->width, $steps[0], $steps[1]), $window->width);
            }

            return [$numbers, $least];
        }, function (array $numbers, array $found) use (&$least): void {
            foreach ($numbers as $i => $number) {
                $least[$number] = min($least[$number] ?? INF, $found[$i]);
            }
        });

        return $this->whole(array_map(fn (float $square): float => is_finite($square) ? sqrt($square) : NAN, $least), NAN);
    }

    /**
     * @param  list<array<int, float>>  $all  to which is added: valid pixels, means, squared deviations, least, greatest by number
     * @param  list<int>  $numbers
     * @param  list<list<float>>  $some  the same, in the order of the numbers
     */
    private static function add(array &$all, array $numbers, array $some): void
    {
        [$counts, $means, $squares, $least, $greatest] = $some;
        foreach ($numbers as $i => $number) {
            $n = $counts[$i];
            if ($n <= 0.0) {
                continue;
            }
            $m = $all[0][$number] ?? 0.0;
            $apart = $means[$i] - ($all[1][$number] ?? 0.0);
            $all[0][$number] = $m + $n;
            $all[2][$number] = ($all[2][$number] ?? 0.0) + $squares[$i] + $apart * $apart * $m * $n / ($m + $n);
            $all[1][$number] = ($all[1][$number] ?? 0.0) + $apart * $n / ($m + $n);
            $all[3][$number] = min($all[3][$number] ?? INF, $least[$i]);
            $all[4][$number] = max($all[4][$number] ?? -INF, $greatest[$i]);
        }
    }

    /** @return list<int> */
    private function labels(Window $window): array
    {
        return Values::codes($this->segments, $window);
    }

    /**
     * @param  \Closure(Window): array{list<int>, list<mixed>}  $task  numbers of the segments that were met, and what each measure adds to them
     * @param  \Closure(list<int>, list<mixed>): void  $add
     */
    private function blocks(string $doing, \Closure $task, \Closure $add): void
    {
        (new Pass($this->segments->spec()->grid))->gather($this->context, $doing, $task, function (array $found) use ($add): void {
            [$numbers, $values] = $found;
            $this->most = max($this->most, ...[0, ...$numbers]);
            $add($numbers, $values);
        });
    }

    /**
     * @param  array<int, float>  $values  by number
     * @return list<float> from 0
     */
    private function whole(array $values, float $none): array
    {
        $all = array_fill(0, $this->most + 1, $none);
        foreach ($values as $number => $value) {
            $all[$number] = $value;
        }

        return $all;
    }
}
