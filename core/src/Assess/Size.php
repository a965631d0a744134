<?php

namespace Chorometra\Core\Assess;

use Chorometra\Core\Assess\Check\Allocation;
use Chorometra\Core\Assess\Check\ClassCounts;
use Chorometra\Core\Assess\Check\MatrixFigures;
use Chorometra\Core\Assess\Check\SampleSize;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;

/** How many check points a map needs. */
final class Size implements Kind
{
    /** Accuracy that is expected where nobody says another; common practice, no source. */
    private const USUAL = 0.85;

    public function declaration(): Declaration
    {
        return new Declaration(
            'assess.size',
            'Sample size',
            'Computes the number of check points for a confidence interval of given width, and their allocation to the classes.',
            [
                new Port('map', PortType::Classes, 'The class map to check.'),
                new Port('points', PortType::Points, 'A labelled pilot sample, from which the accuracies are estimated.', required: false),
            ],
            [
                Setting::choice(
                    'estimate',
                    ['stratified', 'random', 'areas'],
                    'stratified',
                    'Quantity to be estimated within the width.',
                    [
                        'stratified' => 'overall accuracy, stratified by class',
                        'random' => 'overall accuracy, simple random sampling',
                        'areas' => 'the area share of every class at once, simple random sampling',
                    ],
                ),
                Setting::number('width', 5.0, 'Half-width of the 95 % confidence interval.', '%', 0.01, 50.0),
                Setting::numbers(
                    'expected',
                    'Expected user\'s accuracy of each class in order, or one for all. Empty: from the pilot sample, else 85.',
                    '%',
                ),
            ],
            [new Port('result', PortType::Table, 'Numbers of points and the resulting interval widths.', endings: ['.csv'])],
            'Cochran 1977, Sampling Techniques, 3rd edition, chapters 4 and 5; Olofsson et al. 2014, Remote Sensing of Environment 148:42–57; Tortora 1978, '
                .'The American Statistician 32:100–102, for shares of all classes at once (from memory, checked against worked examples). Accuracies from a '
                .'trial sample by the rule of succession, (right + 1) / (points + 2), so that few points without a mistake do not promise that there is none.',
            synonyms: ['number of check points', 'sampling', 'confidence interval'],
            example: new Example(['width' => '4']),
            figures: [
                Figure::number('points', 'points'),
                Figure::curve('curve', 'half-width of the 95 % interval', ['points' => null, 'width' => '%']),
                Figure::table('classes', 'allocation to the classes', [
                    'class' => null, 'share' => '%', 'expected' => '%', 'equal' => null, 'by area' => null, 'Neyman' => null,
                ]),
                Figure::number('trial', 'points of the pilot sample'),
                Figure::share('ground-unlabelled', 'unlabelled ground'),
            ],
            desk: new Desk(1, ['{estimate}, ± {width} %']),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $map = $call->image('map');
        $counts = ClassCounts::of($map, $call->context->part(0.0, 0.9));
        if ($counts->pixels === []) {
            throw Problem::input("{$map->name()} has no labelled pixels to draw from.", 'map');
        }
        $weights = array_values(array_map(fn (float $weight): float => $weight / array_sum($counts->weights()), $counts->weights()));
        [$expected, $trial] = $this->expected($call, $map, $counts);
        $pixels = (float) array_sum($counts->pixels);
        $size = match ($call->text('estimate')) {
            'stratified' => SampleSize::stratified($weights, $expected, $pixels),
            'random' => SampleSize::proportion(array_sum(array_map(fn (float $weight, float $one): float => $weight * $one, $weights, $expected)), $pixels),
            default => SampleSize::multinomial($weights),
        };
        $points = max(2, (int) ceil($size->points($call->number('width') / 100) - 1e-9));
        $curve = [];
        for ($step = -12; $step <= 8; $step++) {
            $number = (int) min($pixels, max(2, round($points * 2 ** ($step / 4))));
            $curve[$number] = ['points' => $number, 'width' => $size->width($number)];
        }
        $curve = array_values($curve);
        Files::write($call->outputs['result'], Csv::of([['points', 'width'], ...array_map(array_values(...), $curve)]));

        return [
            'points' => $points,
            'curve' => $curve,
            'classes' => self::shared($map, $counts, $weights, $expected, (int) min($points, $pixels)),
            ...($trial === null ? [] : ['trial' => $trial]),
            'ground-unlabelled' => $counts->unlabelled,
        ];
    }

    /**
     * @return array{list<float>, int|null} accuracies by class of the map, in order; and how many labelled points they are expected from
     *
     * @throws Problem where more or fewer are given than there are classes
     */
    private function expected(Call $call, Image $map, ClassCounts $counts): array
    {
        $given = array_map(fn (float $one): float => $one / 100, $call->numbers('expected'));
        $classes = count($counts->pixels);
        if ($given !== []) {
            if ((count($given) !== 1 && count($given) !== $classes) || min($given) < 0.0 || max($given) > 1.0) {
                throw Problem::call("Give the expected accuracy, 0 to 100 %, of each of the $classes classes of {$map->name()}, or one for all.", 'expected');
            }

            return [count($given) === 1 ? array_fill(0, $classes, $given[0]) : $given, null];
        }
        if (! isset($call->inputs['points'])) {
            return [array_fill(0, $classes, self::USUAL), null];
        }
        Crs::needMap($map->spec()->grid, $map->name(), 'map');
        $figures = MatrixFigures::of($map, $counts, LabelledPoints::read($call->path('points'), $map->spec()->grid->epsg));
        $expected = [];
        foreach (array_column($figures['classes'], 'code') as $i => $code) {
            if (isset($counts->pixels[$code])) {
                $expected[] = ($figures['matrix'][$i][$i] + 1) / (array_sum($figures['matrix'][$i]) + 2);
            }
        }

        return [$expected, $figures['points']];
    }

    /**
     * @param  list<float>  $weights
     * @param  list<float>  $expected
     * @return list<array<string, string|int|float>>
     */
    private static function shared(Image $map, ClassCounts $counts, array $weights, array $expected, int $points): array
    {
        $rows = [];
        $allocate = fn (string $how): array => array_values(Allocation::allocate($counts->pixels, $points, $how, $expected, 0, $counts->weights()));
        [$equal, $proportional, $neyman] = array_map($allocate, ['equal', 'proportional', 'neyman']);
        foreach (array_keys($counts->pixels) as $i => $code) {
            $rows[] = [
                'class' => $map->spec()->legend?->name($code) ?? "class $code",
                'share' => $weights[$i],
                'expected' => $expected[$i],
                'equal' => $equal[$i],
                'by area' => $proportional[$i],
                'Neyman' => $neyman[$i],
            ];
        }

        return $rows;
    }
}
