<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Format\Csv;
use Chorometra\Core\Format\Measures as MeasuresFile;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Regions\Measures\Measured;
use Chorometra\Core\Regions\Measures\MeasureFormula;
use Chorometra\Core\Regions\Measures\Wish;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\NamedImages;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;

/** Numbers for each segment: its shape, its values, and what lies around it. */
final class Measure implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.measure',
            'Measure segments',
            'Measures size, shape, band values and surroundings of each segment.',
            [
                new Port('segments', PortType::Segments, 'The segments.'),
                new Port(
                    'images',
                    PortType::Image,
                    'Images on the grid of the segments, for measures of bands.',
                    required: false,
                    many: true,
                    wants: Wants::Reflectance,
                ),
                new Port('classes', PortType::Classes, 'A class map on that grid, for edge shares and distances.', required: false),
            ],
            [
                Setting::texts('names', 'Short names of the images in order, such as before, after. Empty: a, b, c …; a single image needs none.'),
                Setting::texts('measures', 'Measures: pixels, area, perimeter, length, width, compactness, elongation, x, y; of a band mean(nir), '
                    .'deviation, minimum, maximum, median, range, contrast; share("class"), distance("class"). Empty: size, shape, position and the mean '
                    .'of every band.'),
                Setting::text('formulas', null, 'Formulas over these, such as “change = ndvi(before) - ndvi(after)”; a band name means its mean.')
                    ->ofLines(),
            ],
            [new Port('measures', PortType::Measures, 'One value per segment and measure.', endings: ['.npz', '.csv'])],
            'Length and width: axes of the ellipse of the same second moments, Haralick & Shapiro 1992, Computer and Robot Vision I, A.2. Compactness: '
                .'4π area / perimeter², Osserman 1978, Bulletin of the American Mathematical Society 84:1182–1238 (both from memory). Deviations divide '
                .'by the number. Distances: Felzenszwalb & Huttenlocher 2012, Theory of Computing 8:415–428. '
                .'Contrast: the mean less those of the neighbours, weighted by shared sides (common practice, no source).',
            synonyms: ['statistics per segment', 'shape', 'mean'],
            example: new Example(['measures' => 'pixels,area', 'formulas' => 'twice = 2 * pixels']),
            figures: [
                Figure::number('segments', 'segments'),
                Figure::table('measured', 'measures', ['measure' => null, 'unit' => null, 'mean' => null, 'least' => null, 'greatest' => null]),
            ],
            desk: new Desk(4, ['{measures}'], evidence: [new Evidence('shading'), new Evidence('named-bands', ['names'])]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $segments = $call->image('segments');
        $grid = $segments->spec()->grid;
        $images = $call->images('images') === [] ? null : NamedImages::of($call);
        foreach ($images === null ? [] : $images->images as $image) {
            if ($image->spec()->content !== Content::Image) {
                throw Problem::input("{$image->name()} contains class codes, which can't be averaged: give it at the input classes.", 'images');
            }
            OneGrid::check([$segments, $image]);
        }
        if ($call->hasInput('classes')) {
            OneGrid::check([$segments, $call->image('classes')]);
        }
        if (array_filter($call->texts('measures'), fn (string $text): bool => str_starts_with($text, 'median')) !== []) {
            $work->reserve(24 * $grid->width * $grid->height);
        }
        $measured = new Measured($segments, $images, $call->hasInput('classes') ? $call->image('classes') : null, Ground::of($grid), $call->context);
        $wishes = array_map(Wish::of(...), $this->wanted($call, $images));
        foreach ($wishes as $wish) {
            $measured->check($wish);
        }
        $formula = $call->text('formulas') === '' ? null : MeasureFormula::of($call->text('formulas'), $images?->names() ?? []);
        foreach ($formula === null ? [] : $formula->reads as $wish) {
            $measured->check($wish, 'formulas');
        }
        $columns = array_map(fn (Wish $wish): array => ['name' => $wish->name] + $measured->column($wish), $wishes);
        if ($formula !== null) {
            $given = array_map(fn (Wish $wish): array => $measured->column($wish)['values'], $formula->reads);
            foreach ($formula->values($given, count($measured->numbers())) as $name => $values) {
                $columns[] = ['name' => $name, 'unit' => null, 'values' => $values];
            }
        }
        if ($measured->numbers() === []) {
            throw Problem::input("{$segments->name()} contains no segments: there is nothing to measure.", 'segments');
        }
        $this->write($call->outputs['measures'] ?? throw Problem::call('Name the output measures.', 'measures'), $measured->numbers(), $columns);

        return [
            'segments' => count($measured->numbers()),
            'measured' => array_map(function (array $column): array {
                $valid = array_filter($column['values'], fn (float $value): bool => ! is_nan($value));

                return [
                    'measure' => $column['name'],
                    'unit' => $column['unit'],
                    'mean' => $valid === [] ? null : array_sum($valid) / count($valid),
                    'least' => $valid === [] ? null : min($valid),
                    'greatest' => $valid === [] ? null : max($valid),
                ];
            }, $columns),
        ];
    }

    /** @return list<string> */
    private function wanted(Call $call, ?NamedImages $images): array
    {
        $named = $call->texts('measures');
        if ($named !== []) {
            return $named;
        }
        $means = [];
        foreach ($images === null ? [] : $images->images as $name => $image) {
            foreach ($image->spec()->bands as $index => $band) {
                $means[] = "mean({$images?->called($name, $index)})";
            }
        }

        return ['pixels', 'area', 'perimeter', 'compactness', 'elongation', 'x', 'y', ...$means];
    }

    /**
     * @param  list<int>  $numbers
     * @param  list<array{name: string, unit: string|null, values: list<float>}>  $columns
     */
    private function write(string $path, array $numbers, array $columns): void
    {
        if (! str_ends_with($path, '.csv')) {
            MeasuresFile::write($path, $numbers, $columns);

            return;
        }
        $rows = [['segment', ...array_column($columns, 'name')]];
        foreach ($numbers as $i => $number) {
            $rows[] = [$number, ...array_map(fn (array $column): ?float => is_nan($column['values'][$i]) ? null : $column['values'][$i], $columns)];
        }
        Files::write($path, Csv::of($rows));
    }
}
