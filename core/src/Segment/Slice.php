<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\SideLength;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Regions\Runs\Absorb;
use Chorometra\Core\Regions\Runs\RunBlocks;
use Chorometra\Core\Regions\Runs\RunMap;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;

/** Density slicing: classes by limits of one band, and the connected parts of each as segments. */
final class Slice implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.slice',
            'Density slicing',
            'Slices one band at limits you choose; connected pixels of a slice, or of a class of a map, become segments.',
            [
                new Port('image', PortType::Image, 'The image with the band to slice, such as an index.', required: false),
                new Port('classes', PortType::Classes, 'A class map instead of an image; its connected parts become segments.', required: false),
            ],
            [
                Setting::band('band', '1', 'Band to slice, by number or role.'),
                Setting::numbers('limits', 'Limits between slices; a pixel equal to a limit belongs to the upper slice.')->neededBy('image'),
                Setting::whole('minimum', 1, 'Smaller segments are merged into the neighbour with the longest shared edge.', 'pixels', 1, 10_000_000),
                Setting::choice('neighbours', ['4', '8'], '4', 'Connectivity: pixels that touch only at a corner are connected (8) or not (4).'),
                Setting::texts('names', 'Names of the classes, from the lowest slice up; - for a name from the limits.'),
                Setting::texts('colours', 'Colours of the classes, from the lowest slice up, such as #3f7fb0.'),
            ],
            [
                new Port('segments', PortType::Segments, 'The connected parts, numbered.', required: false),
                new Port('classes', PortType::Classes, 'The slices as a class map.', required: false),
            ],
            'Density slicing: Lillesand, Kiefer & Chipman, Remote Sensing and Image Interpretation, chapter on image enhancement (from memory). '
                .'Labelling: He, Chao & Suzuki 2008, IEEE Transactions on Image Processing 17:749–756.',
            synonyms: ['threshold', 'contour', 'level slicing', 'connected components'],
            example: new Example(['limits' => '0.2,0.5', 'minimum' => '5'], with: ['image']),
            figures: [
                Figure::number('segments', 'segments'),
                Figure::number('joined', 'merged into a neighbour'),
                Figure::list('range', 'range'),
                Figure::list('limits', 'limits'),
            ],
            either: ['image', 'classes'],
            desk: new Desk(1, ['at {limits}'], evidence: [new Evidence('shading'), new Evidence('slices', ['limits', 'names', 'colours'])]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $image = $this->given($call);
        $isMap = $call->hasInput('classes');
        $neighbours = (int) $call->text('neighbours');
        [$limits, $legend] = $isMap ? [[], $image->spec()->legend ?? Legend::of([])] : [$limits = $this->limits($call), $this->legend($call, $limits)];
        $grid = $image->spec()->grid;
        $specs = [
            'segments' => RasterSpec::segments($grid, $image->spec()->properties),
            'classes' => RasterSpec::classes($grid, $legend, $image->spec()->properties),
        ];
        if ($call->asked($specs) === []) {
            throw Problem::call('Name an output: segments, classes or both.', 'classes');
        }
        [$blocks, $figures] = $isMap ? [$this->parts($call, $image, $neighbours), []] : $this->slices($call, $image, $limits, $neighbours);
        $joined = 0;
        if ($call->whole('minimum') > 1) {
            $absorb = new Absorb($blocks, $call->whole('minimum'), SideLength::of(Ground::of($grid)), $neighbours === 8, $call->context->part(0.3, 0.6));
            $joined = $absorb->joined;
            if ($joined > 0) {
                $cut = $blocks;
                $blocks = $cut->recoded($call->context->part(0.6, 0.65), 'numbering segments', fn (int $part): int => $absorb->code($part));
                $cut->remove();
            }
            unset($absorb);
        }
        $nodata = (int) $specs['classes']->nodata;
        $compute = [
            'segments' => fn (Window $window): array => [$blocks->samples($window)],
            'classes' => fn (Window $window): array => [$blocks->painted($window, fn (int $part, int $code): int => $code === 0 ? $nodata : $code)],
        ];
        $asked = array_intersect_key($compute, $call->outputs);
        $report = $work->part(0.65, 1.0)->make($specs, fn (Window $window): array => array_map(fn (\Closure $bands): array => $bands($window), $asked));

        return ['segments' => $blocks->count, 'joined' => $joined] + $figures + $report;
    }

    /** The image to cut, or the class map. */
    private function given(Call $call): Image
    {
        return $call->image($call->hasInput('classes') ? 'classes' : 'image');
    }

    /** The classes of a map; those that are nodata or unlabelled belong to no segment. */
    private function parts(Call $call, Image $map, int $neighbours): RunBlocks
    {
        $blocks = RunBlocks::ofMap($map, $neighbours, 0, $call->context->part(0.0, 0.3));

        return $blocks->count > 0 ? $blocks : throw Problem::input("{$map->name()} contains no classes: there is nothing to make segments of.", 'classes');
    }

    /**
     * @param  list<float>  $limits
     * @return array{RunBlocks, array<string, mixed>} and figures
     */
    private function slices(Call $call, Image $image, array $limits, int $neighbours): array
    {
        $band = $call->band('band');
        [$blocks, $minimum, $maximum] = $this->cut($call, $image, $band, $limits, $neighbours);
        $label = $image->spec()->bands[$band]->label($band + 1);
        if ($minimum === INF) {
            throw Problem::input("The band $label of {$image->name()} is nodata everywhere: there is nothing to slice.", 'image');
        }
        $figures = ['range' => [$minimum, $maximum], 'limits' => $limits];
        $outside = array_filter($limits, fn (float $limit): bool => $limit <= $minimum || $limit > $maximum);
        if ($outside !== [] && ! $call->context->trial) {
            $figures['warning'] = sprintf(
                '%s outside the data: %s runs from %s to %s. Slices beyond them are empty.',
                count($outside) === 1 ? 'The limit '.reset($outside).' lies' : 'The limits '.implode(', ', $outside).' lie',
                $label,
                round($minimum, 5),
                round($maximum, 5),
            );
        }

        return [$blocks, $figures];
    }

    /**
     * Rows of values to a map of slices: 1 below the first limit, 2 from it on …; 0 for NaN.
     *
     * @param  list<float>  $values  rows of $width
     * @param  list<float>  $limits  rising
     * @return array{RunMap, float, float} the least and the greatest value beside it; INF and -INF where all is nodata
     */
    public static function runs(array $values, int $width, int $rows, array $limits): array
    {
        $map = new RunMap($width);
        [$minimum, $maximum] = count($limits) === 1
            ? self::atOne($values, $width, $rows, $limits[0], $map->ends, $map->codes, $map->rowStart)
            : self::atMany($values, $width, $rows, $limits, $map->ends, $map->codes, $map->rowStart);

        return [$map, $minimum, $maximum];
    }

    /**
     * $rows of $width pixels, cut at $limit.
     *
     * @param  list<float>  $values
     * @param  list<int>  $ends
     * @param  list<int>  $codes
     * @param  list<int>  $rowStart
     * @return array{float, float}
     */
    private static function atOne(array $values, int $width, int $rows, float $limit, array &$ends, array &$codes, array &$rowStart): array
    {
        $minimum = INF;
        $maximum = -INF;
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            $now = -1;
            for ($x = 0; $x < $width; $x++, $i++) {
                $value = $values[$i];
                if ($value >= $limit) {
                    $code = 2;
                    if ($value > $maximum) {
                        $maximum = $value;
                    }
                } elseif ($value === $value) {
                    $code = 1;
                    if ($value < $minimum) {
                        $minimum = $value;
                    }
                } else {
                    $code = 0;
                }
                if ($code !== $now) {
                    if ($x > 0) {
                        $ends[] = $x;
                        $codes[] = $now;
                    }
                    $now = $code;
                }
            }
            $ends[] = $width;
            $codes[] = $now;
            $rowStart[] = count($ends);
        }
        // where all lies on one side of the limit, the other end was never looked for
        if ($minimum === INF || $maximum === -INF) {
            foreach ($values as $value) {
                if ($value < $minimum) {
                    $minimum = $value;
                }
                if ($value > $maximum) {
                    $maximum = $value;
                }
            }
        }

        return [$minimum, $maximum];
    }

    /**
     * $rows of $width pixels.
     *
     * @param  list<float>  $values
     * @param  list<float>  $limits
     * @param  list<int>  $ends
     * @param  list<int>  $codes
     * @param  list<int>  $rowStart
     * @return array{float, float}
     */
    private static function atMany(array $values, int $width, int $rows, array $limits, array &$ends, array &$codes, array &$rowStart): array
    {
        $minimum = INF;
        $maximum = -INF;
        $number = count($limits);
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            $now = -1;
            for ($x = 0; $x < $width; $x++, $i++) {
                $value = $values[$i];
                $code = 0;
                if ($value === $value) {
                    for ($k = 0; $k < $number && $value >= $limits[$k]; $k++);
                    $code = $k + 1;
                    if ($value < $minimum) {
                        $minimum = $value;
                    }
                    if ($value > $maximum) {
                        $maximum = $value;
                    }
                }
                if ($code !== $now) {
                    if ($x > 0) {
                        $ends[] = $x;
                        $codes[] = $now;
                    }
                    $now = $code;
                }
            }
            $ends[] = $width;
            $codes[] = $now;
            $rowStart[] = count($ends);
        }

        return [$minimum, $maximum];
    }

    /**
     * @param  list<float>  $limits
     * @return array{RunBlocks, float, float} the slices, and the least and greatest value
     */
    private function cut(Call $call, Image $image, int $band, array $limits, int $neighbours): array
    {
        $spec = $image->spec();
        $width = $spec->grid->width;
        [$blocks, $ranges] = RunBlocks::made(
            $width,
            $spec->grid->height,
            $neighbours,
            $call->context->part(0.0, 0.3),
            'cutting',
            function (int $first, int $rows) use ($image, $band, $limits, $width): array {
                $values = Values::of($image, $band, new Window(0, $first, $width, $rows));
                [$map, $least, $greatest] = self::runs($values, $width, $rows, $limits);

                return [$map, [$least, $greatest]];
            },
        );

        return [$blocks, min([INF, ...array_column($ranges, 0)]), max([-INF, ...array_column($ranges, 1)])];
    }

    /** @return list<float> */
    private function limits(Call $call): array
    {
        $limits = $call->numbers('limits');
        $sorted = array_values(array_unique($limits));
        sort($sorted);
        if ($sorted !== $limits) {
            throw Problem::call('The limits must increase, without repeats: '.implode(', ', $limits).'.', 'limits');
        }
        if (count($limits) > 253) {
            throw Problem::call('At most 253 limits can be cut at.', 'limits');
        }

        return $limits;
    }

    /** @param  list<float>  $limits */
    private function legend(Call $call, array $limits): Legend
    {
        $names = $call->texts('names');
        $colours = $call->texts('colours');
        $slices = count($limits) + 1;
        foreach (['names' => $names, 'colours' => $colours] as $what => $list) {
            if ($list !== [] && count($list) !== $slices) {
                throw Problem::call(sprintf('%d %s are given for %d slices.', count($list), $what, $slices), $what);
            }
        }
        foreach ($colours as $colour) {
            if (! preg_match('/^#[0-9a-f]{6}$/i', $colour)) {
                throw Problem::call("“{$colour}” is no colour; write it as #3f7fb0.", 'colours');
            }
        }
        $plain = ['below '.$limits[0]];
        foreach ($limits as $index => $limit) {
            $plain[] = isset($limits[$index + 1]) ? "$limit to {$limits[$index + 1]}" : "$limit and above";
        }
        foreach ($names as $index => $name) {
            $plain[$index] = $name === '-' ? $plain[$index] : $name;
        }

        return Legend::of(array_values($plain), $colours);
    }
}
