<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Gather\Join\EdgeWeights;
use Chorometra\Core\Gather\Join\MatchCurve;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\GridMapping;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Raster\WithNodata;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Grids;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;

/** Several images into one that covers them all. */
final class Mosaic implements Kind
{
    /** Pixels of the overlap that matching looks at, about. */
    private const SAMPLE = 400_000;

    private const FEWEST = 100;

    /** Bytes that each image takes while it is open. */
    private const OPEN = 48 << 20;

    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.mosaic',
            'Mosaic',
            'Joins several images on the grid of the first; where they overlap, one takes precedence or they are blended.',
            [new Port('images', PortType::Image, 'The images, two or more, with the same bands. The first gives CRS and pixels.', many: true)],
            [
                Setting::choice('overlap', ['first', 'last', 'blend'], 'first', 'Value used where images overlap.', [
                    'first' => 'the first given',
                    'last' => 'the last given',
                    'blend' => 'all images, each fading out towards its own edge',
                ]),
                Setting::number('fade', 50.0, 'Width over which an image fades out.', 'pixels', 1, 10000)->onlyFor('overlap=blend'),
                Setting::choice(
                    'match',
                    ['none', 'histogram'],
                    'none',
                    'Match each image to those before it, by their histograms in the overlap.',
                ),
                Setting::choice('resampling', Resampling::names(), 'nearest', 'Resampling of images on other grids.', Resampling::MEANINGS),
            ],
            [new Port('result', PortType::Image, 'The mosaic.')],
            'Histogram matching: Gonzalez & Woods, Digital Image Processing, 3.3 (from memory). Weights that fall to the edge: common practice, no source.',
            synonyms: ['merge images', 'join images', 'blend'],
            example: new Example(['overlap' => 'blend', 'fade' => '20']),
            figures: [
                Figure::text('size', 'size'),
                Figure::table('images', 'images', ['image' => null, 'column' => null, 'row' => null, 'columns' => null, 'rows' => null]),
                Figure::table('matched', 'matched', ['image' => null, 'band' => null, 'pixels' => null, 'mean' => null, 'mean-before-it' => null]),
            ],
            desk: new Desk(8, ['{overlap}'], grids: Grids::Any, moves: true),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $work->reserve(count($call->images('images')) * self::OPEN);
        $images = array_map(fn (Image $image): Image => WithNodata::of($image, $call->context), $this->images($call));
        $first = $images[0]->spec();
        $grid = self::union($images);
        $resampling = Resampling::from($call->text('resampling'));
        foreach ($images as $image) {
            $resampling->check($image);
        }
        [$type, $nodata] = $first->content === Content::Image ? Stack::common($images) : [$first->type, $first->nodata];
        $properties = Properties::over(array_map(fn (Image $image): array => $image->spec()->properties, $images));
        $spec = new RasterSpec($grid, $first->bands, $type, $nodata, $first->content, $first->legend, $properties);
        $parts = array_map(fn (Image $image): Warped => new Warped($image, $grid, $resampling), $images);
        $places = array_map(fn (Image $image): Window => self::place($image, $grid), $images);
        $figures =
            [
                'size' => $grid->describe(),
                'images' => array_map(
                    fn (Image $image, Window $place): array => [
                        'image' => $image->name(),
                        'column' => $place->col,
                        'row' => $place->row,
                        'columns' => $place->width,
                        'rows' => $place->height,
                    ],
                    $images,
                    $places,
                ),
            ] +
            Crs::datums(...array_map(fn (Image $image): Grid => $image->spec()->grid, $images)) +
            WithNodata::figures(...$images);
        $blends = $call->text('overlap') === 'blend';
        if ($first->content !== Content::Image && ($blends || $call->text('match') !== 'none')) {
            throw Problem::call(
                "{$images[0]->name()} contains class codes, which can't be blended or matched: choose first or last.",
                $blends ? 'overlap' : 'match',
            );
        }
        $curves = [];
        if ($call->text('match') === 'histogram') {
            [$curves, $figures['matched']] = $this->match($call, $parts, $places);
        }
        $weights = $blends
            ? array_map(fn (Warped $part, Window $place): EdgeWeights => EdgeWeights::of($part, $place, $call->number('fade'), $call->context), $parts, $places)
            : [];
        $order = $call->text('overlap') === 'last' ? array_reverse(array_keys($parts)) : array_keys($parts);

        $isImage = $spec->content === Content::Image;

        return $figures + $work->part(0.2, 1.0)->make(
            ['result' => $spec],
            function (Window $window) use ($parts, $places, $curves, $weights, $order, $spec, $isImage): array {
                $bands = [];
                foreach (self::pieces($window, $places, $order) as [$piece, $covering]) {
                    // what one image alone covers is taken as it is
                    $shares = $weights === [] || count($covering) < 2 ? [] : array_map(fn (int $k): array => $weights[$k]->values($piece), $covering);
                    foreach (array_keys($spec->bands) as $band) {
                        $layers = [];
                        foreach ($covering as $k) {
                            $values = $parts[$k]->values($band, $piece);
                            $layers[] = isset($curves[$k][$band]) ? $curves[$k][$band]->apply($values, count($values)) : $values;
                        }
                        $joined = $shares === [] ? self::first($layers, $piece->pixels()) : self::blended($layers, $shares, $piece->pixels());
                        if ($piece->pixels() === $window->pixels()) {
                            $bands[$band] = $joined;
                        } else {
                            $bands[$band] ??= array_fill(0, $window->pixels(), NAN);
                            Values::put(
                                $bands[$band],
                                $joined,
                                ($piece->row - $window->row) * $window->width + $piece->col - $window->col,
                                $window->width,
                                $piece->width,
                                $piece->height,
                            );
                        }
                    }
                }

                return ['result' => $isImage ? $bands : array_map(fn (array $codes): array => self::codes($codes, (int) $spec->nodata), $bands)];
            },
            6 + count($spec->bands),
        );
    }

    /** @return non-empty-list<Image> */
    private function images(Call $call): array
    {
        $images = $call->images('images');
        if (count($images) < 2) {
            throw Problem::call('A mosaic needs two images or more.', 'images');
        }
        $first = $images[0]->spec();
        foreach ($images as $image) {
            $spec = $image->spec();
            Crs::needMap($spec->grid, $image->name(), 'images');
            if (count($spec->bands) !== count($first->bands)) {
                throw Problem::input(
                    sprintf(
                        '%s has %d bands and %s has %d: a mosaic needs the same bands of each.',
                        $images[0]->name(),
                        count($first->bands),
                        $image->name(),
                        count($spec->bands),
                    ),
                    'images',
                );
            }
            if ($spec->content !== $first->content) {
                throw Problem::input(
                    "{$images[0]->name()} and {$image->name()} differ in content: {$first->content->value} and {$spec->content->value}.",
                    'images',
                );
            }
            foreach ($spec->bands as $index => $band) {
                if ($band->role !== null && $first->bands[$index]->role !== null && $band->role !== $first->bands[$index]->role) {
                    throw Problem::input(
                        sprintf(
                            'Band %d is %s in %s and %s in %s: put the bands in one order first.',
                            $index + 1,
                            $first->bands[$index]->role,
                            $images[0]->name(),
                            $band->role,
                            $image->name(),
                        ),
                        'images',
                    );
                }
            }
        }

        return $images;
    }

    /**
     * The grid of the first, stretched over all.
     *
     * @param  list<Image>  $images
     */
    private static function union(array $images): Grid
    {
        $first = $images[0]->spec()->grid;
        $left = $top = 0;
        [$right, $bottom] = [$first->width, $first->height];
        foreach (array_slice($images, 1) as $image) {
            $place = self::place($image, $first);
            $left = min($left, $place->col);
            $top = min($top, $place->row);
            $right = max($right, $place->col + $place->width);
            $bottom = max($bottom, $place->row + $place->height);
        }
        if (($right - $left) * ($bottom - $top) > 1 << 33) {
            throw Problem::input(
                'The images are so far apart that the mosaic would have '.
                    number_format((($right - $left) * ($bottom - $top)) / 1e6).
                    ' million pixels: leave the far ones out.',
                'images',
            );
        }
        [$x, $y] = $first->toMap($left, $top);
        $t = $first->transform;

        return new Grid($right - $left, $bottom - $top, [$x, $t[1], $t[2], $y, $t[4], $t[5]], $first->epsg, $first->geoKeys);
    }

    /** Where an image lies on a grid. */
    private static function place(Image $image, Grid $grid): Window
    {
        $source = $image->spec()->grid;
        $mapping = new GridMapping($source, $grid, 'the first image');
        $cols = $rows = [];
        for ($i = 0; $i <= 20; $i++) {
            foreach ([[$i, 0], [$i, 20], [0, $i], [20, $i]] as [$a, $b]) {
                [$cols[], $rows[]] = $mapping->at(($source->width * $a) / 20, ($source->height * $b) / 20);
            }
        }
        if (is_nan(array_sum($cols) + array_sum($rows))) {
            throw Problem::input("{$image->name()} can't be shown in the CRS of the first image.", 'images');
        }
        $col = (int) floor(min($cols) + 1e-6);
        $row = (int) floor(min($rows) + 1e-6);

        return new Window($col, $row, (int) ceil(max($cols) - 1e-6) - $col, (int) ceil(max($rows) - 1e-6) - $row);
    }

    private static function met(Window $one, Window $other): Window
    {
        $col = max($one->col, $other->col);
        $row = max($one->row, $other->row);

        return new Window(
            $col,
            $row,
            max(0, min($one->col + $one->width, $other->col + $other->width) - $col),
            max(0, min($one->row + $one->height, $other->row + $other->height) - $row),
        );
    }

    /**
     * For each image after the first a curve by band, which makes it like those before it where they overlap.
     *
     * @param  list<Warped>  $parts
     * @param  list<Window>  $places
     * @return array{array<int, array<int, MatchCurve>>, list<array<string, mixed>>}
     */
    private function match(Call $call, array $parts, array $places): array
    {
        $curves = [];
        $figures = [];
        foreach (array_slice(array_keys($parts), 1) as $k) {
            $call->context->report((0.2 * $k) / count($parts), 'comparing '.$parts[$k]->name().' with those before it');
            $others = array_filter(array_keys($parts), fn (int $j): bool => $j < $k && ! self::met($places[$j], $places[$k])->isEmpty());
            $overlap = array_sum(array_map(fn (int $j): int => self::met($places[$j], $places[$k])->pixels(), $others));
            $step = max(1, (int) sqrt($overlap / self::SAMPLE));
            foreach (array_keys($parts[$k]->spec()->bands) as $band) {
                [$own, $wanted] = [[], []];
                foreach ($others as $j) {
                    $met = self::met($places[$j], $places[$k]);
                    for ($row = intdiv($step, 2); $row < $met->height; $row += $step) {
                        $line = new Window($met->col, $met->row + $row, $met->width, 1);
                        $mine = $parts[$k]->values($band, $line);
                        $theirs = $parts[$j]->values($band, $line);
                        if (isset($curves[$j][$band])) {
                            $theirs = $curves[$j][$band]->apply($theirs, count($theirs));
                        }
                        for ($i = intdiv($step, 2); $i < $met->width; $i += $step) {
                            if ($mine[$i] === $mine[$i] && $theirs[$i] === $theirs[$i]) {
                                $own[] = $mine[$i];
                                $wanted[] = $theirs[$i];
                            }
                        }
                    }
                }
                if (count($own) < self::FEWEST) {
                    throw Problem::input(
                        "{$parts[$k]->name()} overlaps those before it in fewer than ".
                            self::FEWEST.
                            ' pixels: without overlap it can\'t be matched.',
                        'match',
                    );
                }
                $curves[$k][$band] = MatchCurve::between($own, $wanted);
                $figures[] = [
                    'image' => $parts[$k]->name(),
                    'band' => $parts[$k]->spec()->bands[$band]->label($band + 1),
                    'pixels' => count($own),
                    'mean' => array_sum($own) / count($own),
                    'mean-before-it' => array_sum($wanted) / count($wanted),
                ];
            }
        }

        return [$curves, $figures];
    }

    /**
     * A window cut where images begin and end, with the images that cover each piece.
     *
     * @param  list<Window>  $places
     * @param  list<int>  $order  which image counts first
     * @return list<array{Window, list<int>}>
     */
    private static function pieces(Window $window, array $places, array $order): array
    {
        $met = array_filter(
            array_map(fn (int $k): Window => self::met($window, $places[$k]), array_combine($order, $order)),
            fn (Window $met): bool => ! $met->isEmpty(),
        );
        $cols = [$window->col, $window->col + $window->width];
        $rows = [$window->row, $window->row + $window->height];
        foreach ($met as $place) {
            array_push($cols, $place->col, $place->col + $place->width);
            array_push($rows, $place->row, $place->row + $place->height);
        }
        [$cols, $rows] = [array_unique($cols), array_unique($rows)];
        sort($cols);
        sort($rows);
        $pieces = [];
        for ($j = 1; $j < count($rows); $j++) {
            for ($i = 1; $i < count($cols); $i++) {
                $piece = new Window($cols[$i - 1], $rows[$j - 1], $cols[$i] - $cols[$i - 1], $rows[$j] - $rows[$j - 1]);
                $pieces[] = [$piece, array_keys(array_filter($met, fn (Window $place): bool => ! self::met($piece, $place)->isEmpty()))];
            }
        }

        return $pieces;
    }

    /**
     * Of each pixel the first valid value.
     *
     * @param  list<list<float>>  $layers  the first counts first
     * @return list<float>
     */
    private static function first(array $layers, int $count): array
    {
        $out = array_shift($layers) ?? array_fill(0, $count, NAN);
        foreach ($layers as $values) {
            for ($i = 0; $i < $count; $i++) {
                if ($out[$i] !== $out[$i]) {
                    $out[$i] = $values[$i];
                }
            }
        }

        return $out;
    }

    /**
     * Of each pixel the mean of what is valid, by weights.
     *
     * @param  list<list<float>>  $layers
     * @param  list<list<float>>  $weights  above 0
     * @return list<float>
     */
    private static function blended(array $layers, array $weights, int $count): array
    {
        $out = $sum = array_fill(0, $count, 0.0);
        foreach ($layers as $k => $values) {
            self::add($out, $sum, $values, $weights[$k], $count);
        }
        for ($i = 0; $i < $count; $i++) {
            $out[$i] = $sum[$i] > 0.0 ? $out[$i] / $sum[$i] : NAN;
        }

        return $out;
    }

    /**
     * $count pixels.
     *
     * @param  list<float>  $out
     * @param  list<float>  $sum
     * @param  list<float>  $values
     * @param  list<float>  $weights
     */
    private static function add(array &$out, array &$sum, array $values, array $weights, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value === $value) {
                $out[$i] += $weights[$i] * $value;
                $sum[$i] += $weights[$i];
            }
        }
    }

    /**
     * @param  list<float>  $values
     * @return list<int>
     */
    private static function codes(array $values, int $nodata): array
    {
        return array_map(fn (float $value): int => is_nan($value) ? $nodata : (int) $value, $values);
    }
}
