<?php

namespace Chorometra\Core\Assess;

use Chorometra\Core\Assess\Check\ClassCounts;
use Chorometra\Core\Assess\Check\Estimates;
use Chorometra\Core\Assess\Check\LabelledPairs;
use Chorometra\Core\Assess\Check\McNemar;
use Chorometra\Core\Assess\Check\Strata;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Grids;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;

/** Two class maps against the same points. */
final class AccuracyComparison implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'assess.pair',
            'Compare the accuracy of two maps',
            'Tests whether one class map is more accurate than another, using the same check points for both.',
            [
                new Port('map', PortType::Classes, 'The class map from which the points were drawn.'),
                new Port('other', PortType::Classes, 'The other class map; its classes have the same names.'),
                new Port('points', PortType::Points, 'Points with a label each.'),
            ],
            [],
            [new Port('result', PortType::Table, 'How often both, one or neither map is correct, and the test.', endings: ['.csv'])],
            'McNemar 1947, Psychometrika 12:153–157; Edwards 1948, Psychometrika 13:185–187; for maps Foody 2004, Photogrammetric Engineering & Remote '
                .'Sensing 70:627–633; the difference by strata as Stehman 2014, International Journal of Remote Sensing 35:4923–4939 (from memory).',
            synonyms: ['McNemar', 'significance', 'compare classifications'],
            figures: [
                Figure::number('points', 'points'),
                Figure::number('both', 'both correct', 'points'),
                Figure::number('first', 'only the first correct', 'points'),
                Figure::number('second', 'only the other correct', 'points'),
                Figure::number('neither', 'neither correct', 'points'),
                Figure::share('accuracy', 'overall accuracy of the first'),
                Figure::share('other', 'overall accuracy of the other'),
                Figure::share('difference', 'difference in accuracy'),
                Figure::share('differenceHalf', '± (95 %)'),
                Figure::number('chi-square', 'McNemar’s chi-square'),
                Figure::number('probability', 'p-value'),
                Figure::number('corrected', 'chi-square, corrected'),
                Figure::number('probability-corrected', 'p-value'),
                Figure::number('exact', 'exact p-value'),
                Figure::number('left-out', 'without a label or outside a map', 'points'),
                Figure::list('notes', 'remarks'),
            ],
            desk: new Desk(4, grids: Grids::Any),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $map = $call->image('map');
        $other = $call->image('other');
        Crs::needMap($map->spec()->grid, $map->name(), 'map');
        Crs::needMap($other->spec()->grid, $other->name(), 'other');
        $path = $call->path('points');
        $points = LabelledPoints::read($path, $map->spec()->grid->epsg);
        $said = LabelledPairs::of($map, $points)->codes;
        // the other may have a CRS of its own
        $besides = LabelledPairs::of($other, LabelledPoints::read($path, $other->spec()->grid->epsg))->codes;
        $counts = ClassCounts::of($map, $call->context->part(0.0, 0.9));
        $strata = Strata::of($points, array_column($said, 0), $map->spec()->legend ?? new Legend([]), $counts);
        $counted = ['both' => 0, 'first' => 0, 'second' => 0, 'neither' => 0];
        /** @var list<array<int, array<int, int>>> $matrices right or wrong by the one, and by the other */
        $matrices = array_fill(0, count($strata->names), [[0, 0], [0, 0]]);
        foreach ($said as $i => [$mapped, $truth]) {
            [$there, $same] = $besides[$i];
            $isUnlabelled = ! $strata->haveUnlabelled && ($mapped === 0 || $there === 0);
            if ($truth === null || $mapped === null || $there === null || $isUnlabelled) {
                continue;
            }
            $isRight = $mapped === $truth;
            $isOther = $there === $same;
            $counted[$isRight ? ($isOther ? 'both' : 'first') : ($isOther ? 'second' : 'neither')]++;
            $matrices[$strata->places[$i]][(int) ! $isRight][(int) ! $isOther]++;
        }
        $count = array_sum($counted);
        if ($count === 0) {
            throw Problem::input('None of the '.count($points).' points in '.basename($path).' has a label inside both maps: label some first.', 'points');
        }
        $estimates = new Estimates($matrices, $strata->weights, 2);
        $shares = $estimates->shares();
        $difference = $estimates->overstated(0);
        $test = new McNemar($counted['first'], $counted['second']);
        $figures = [
            'points' => $count,
            ...$counted,
            'accuracy' => $shares === null ? null : $shares[0][0] + $shares[0][1],
            'other' => $shares === null ? null : $shares[0][0] + $shares[1][0],
            'difference' => $difference['value'],
            'differenceHalf' => $difference['half'],
            'chi-square' => $test->square(),
            'probability' => $test->probability(),
            'corrected' => $test->square(true),
            'probability-corrected' => $test->probability(true),
            'exact' => $test->exact(),
            'left-out' => count($points) - $count,
            'notes' => [...$strata->few($matrices), ...$strata->notes],
        ];
        $lines = [['figure', 'value']];
        foreach ($figures as $name => $figure) {
            $lines[] = [$name, is_array($figure) ? implode(' ', $figure) : $figure];
        }
        Files::write($call->outputs['result'], Csv::of($lines));

        return $figures;
    }
}
