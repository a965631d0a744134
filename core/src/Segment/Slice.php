<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Workers;
use Chorometra\Core\Format\Files;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Window;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\WholeKind;

/** Density slicing: classes by limits of one band, and the connected parts of each as segments. */
final class Slice implements WholeKind
{
    private const ROWS = 256;

    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.slice',
            'Slice into segments',
            'Cuts one band at limits you choose; connected pixels on the same side become segments.',
            [new Port('image', PortType::Image, 'The image with the band to cut, such as an index.')],
            [
                Setting::band('band', '1', 'The band to cut: a number from 1, or a role.'),
                Setting::numbers('limits', 'Where to cut; a pixel at a limit or above goes to the upper side.', required: true),
                Setting::whole('minimum', 1, 'Segments smaller than this join the neighbour with the longest shared edge.', 'pixels', 1, 10_000_000),
                Setting::choice('neighbours', ['4', '8'], '4', 'Whether pixels that touch at a corner only are connected (8) or not (4).'),
                Setting::texts('names', 'Names of the classes, from the lowest slice up; - for a name from the limits.'),
                Setting::texts('colours', 'Colours of the classes, from the lowest slice up, such as #3f7fb0.'),
            ],
            [
                new Port('segments', PortType::Segments, 'The connected parts, numbered.', required: false),
                new Port('classes', PortType::Classes, 'The slices as a class map.', required: false),
            ],
            'Density slicing: Lillesand, Kiefer & Chipman, Remote Sensing and Image Interpretation, chapter on image enhancement (from memory). Labelling: He, Chao & Suzuki 2008, IEEE Transactions on Image Processing 17:749–756.',
        );
    }

    public function memory(Call $call): int
    {
        $grid = $call->image()->spec()->grid;

        // four numbers per run and some to work with; a map of slices has seldom more than a run in four pixels
        return $grid->width * $grid->height * 32 + (64 << 20);
    }

    public function compute(Call $call): array
    {
        $image = $call->image();
        $band = $call->band('band');
        $limits = $this->limits($call);
        $legend = $this->legend($call, $limits);
        $grid = $image->spec()->grid;

        [$map, $minimum, $maximum] = $this->cut($call, $image, $band, $limits);
        $label = $image->spec()->bands[$band]->label($band + 1);
        if ($minimum === INF) {
            throw Problem::input("The band $label of {$image->name()} is nodata all over: there is nothing to cut.", 'image');
        }
        foreach ($limits as $limit) {
            if (! $call->context->trial && ($limit <= $minimum || $limit > $maximum)) {
                throw Problem::input(sprintf('The limit %s lies outside the data: %s runs from %s to %s, so all would fall on one side. Choose a limit between them.', $limit, $label, round($minimum, 5), round($maximum, 5)), 'limits');
            }
        }
        $neighbours = (int) $call->text('neighbours');
        $call->context->report(0.5, 'joining small segments');
        $joined = $call->whole('minimum') > 1 ? $map->absorb($call->whole('minimum'), $neighbours) : 0;
        $call->context->report(0.6, 'numbering segments');
        [$parts, $count] = $map->parts($neighbours);

        $properties = $image->spec()->properties;
        $specs = ['segments' => RasterSpec::segments($grid, $properties), 'classes' => RasterSpec::classes($grid, $legend, $properties)];
        $nodata = (int) $specs['classes']->nodata;
        $codes = array_map(fn (int $code): int => $code === 0 ? $nodata : $code, $map->codes);
        $outputs = [];
        foreach ($specs as $name => $spec) {
            if (isset($call->outputs[$name])) {
                $outputs[$name] = ['path' => $call->outputs[$name], 'spec' => $spec];
            }
        }
        if ($outputs === []) {
            throw Problem::call('Say where a result goes: segments, classes or both.', 'classes');
        }
        $production = new Production($outputs, function (Window $window) use ($map, $parts, $codes, $outputs): array {
            return array_intersect_key([
                // segments have no overviews, so their runs become bytes without going through pixels
                'segments' => isset($outputs['segments']) ? [$map->paintBytes($parts, SampleType::UInt32, $window->row, $window->height)] : [],
                'classes' => isset($outputs['classes']) ? [$map->paint($codes, $window->row, $window->height)] : [],
            ], $outputs);
        }, $call->context->part(0.65, 1.0));

        return ['segments' => $count, 'joined' => $joined, 'range' => [$minimum, $maximum], 'limits' => $limits] + $production->run($call->made(), 'Slice into segments');
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
     * @return array{RunMap, float, float} the slices, and the least and greatest value
     */
    private function cut(Call $call, Image $image, int $band, array $limits): array
    {
        $spec = $image->spec();
        $width = $spec->grid->width;
        $folder = $call->context->folder();
        $map = new RunMap($width, $call->context->check(...));
        $minimum = INF;
        $maximum = -INF;
        $next = 0;
        $blocks = intdiv($spec->grid->height + self::ROWS - 1, self::ROWS);
        Workers::run($blocks, $call->context->part(0.0, 0.5), 'cutting', function (int $block) use ($image, $band, $limits, $spec, $width, $folder): array {
            $rows = min(self::ROWS, $spec->grid->height - $block * self::ROWS);
            $values = Codec::values($image->read($band, new Window(0, $block * self::ROWS, $width, $rows)), $spec->type, $spec->nodata);
            [$part, $least, $greatest] = self::runs($values, $width, $rows, $limits);
            Files::write("$folder/runs$block", $part->toBytes());

            return is_finite($least) && is_finite($greatest) ? [$least, $greatest] : [];
        }, function (int $block, mixed $answer) use (&$minimum, &$maximum, &$next, $map, $folder): void {
            if ($answer !== []) {
                $minimum = min($minimum, (float) $answer[0]);
                $maximum = max($maximum, (float) $answer[1]);
            }
            // blocks come as they are done; runs are strung together in order
            while (is_file("$folder/runs$next")) {
                $map->appendBytes((string) file_get_contents("$folder/runs$next"));
                unlink("$folder/runs$next");
                $next++;
            }
        });

        return [$map, $minimum, $maximum];
    }

    /** @return list<float> */
    private function limits(Call $call): array
    {
        $limits = $call->numbers('limits');
        $sorted = array_values(array_unique($limits));
        sort($sorted);
        if ($sorted !== $limits) {
            throw Problem::call('The limits must rise, and none may come twice: '.implode(', ', $limits).'.', 'limits');
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
