<?php

namespace Chorometra\Core\Assess;

use Chorometra\Core\Assess\Check\ClassCounts;
use Chorometra\Core\Assess\Check\MatrixFigures;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;

/** A class map against points whose truth is known. */
final class Matrix implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'assess.matrix',
            'Error matrix',
            'Compares a class map with labelled check points and reports its accuracy with confidence intervals.',
            [
                new Port('map', PortType::Classes, 'The class map to check.'),
                new Port(
                    'points',
                    PortType::Points,
                    'Labelled points (class name or code), as GeoJSON or as CSV with longitude and latitude, with their “stratum” and the “share” of the '
                        .'area they represent.',
                ),
            ],
            [Setting::text('field', 'label', 'Property or column of the points that holds the label.')],
            [new Port('result', PortType::Table, 'The error matrix and the accuracy measures.', endings: ['.csv', '.json'])],
            'Olofsson et al. 2014, Remote Sensing of Environment 148:42–57; Stehman 2014, International Journal of Remote Sensing 35:4923–4939, for strata '
                .'other than the map\'s classes; Stehman 1996, Photogrammetric Engineering & Remote Sensing 62:401–407, for kappa in strata; Pontius & '
                .'Millones 2011, International Journal of Remote Sensing 32:4407–4429; of the points as they are, Congalton 1991, Remote Sensing of '
                .'Environment 37:35–46, and Bishop, Fienberg & Holland 1975 for the variance of kappa; with second labels Gopal & Woodcock 1994, '
                .'Photogrammetric Engineering & Remote Sensing 60:181–188 (from memory, checked against worked examples).',
            synonyms: ['confusion matrix', 'accuracy', 'kappa', 'user\'s accuracy', 'producer\'s accuracy'],
            figures: [
                Figure::number('points', 'points'),
                Figure::apart('matrix'),
                Figure::apart('classes'),
                Figure::apart('shares'),
                Figure::share('overall', 'overall accuracy'),
                Figure::share('overallHalf', '± (95 %)'),
                Figure::share('either', 'overall accuracy, second labels accepted'),
                Figure::share('eitherHalf', '± (95 %)'),
                Figure::number('secondLabels', 'second labels'),
                Figure::number('kappa', 'kappa'),
                Figure::number('kappaHalf', '± of kappa (95 %)'),
                Figure::share('quantity', 'quantity disagreement'),
                Figure::share('allocation', 'allocation disagreement'),
                Figure::apart('counted'),
                Figure::apart('more'),
                Figure::apart('places'),
                Figure::number('unlabelled', 'unlabelled', 'points'),
                Figure::number('outside', 'outside', 'points'),
                Figure::share('ground-unlabelled', 'unlabelled ground'),
                Figure::list('notes', 'remarks'),
            ],
            desk: new Desk(3, evidence: [new Evidence('matrix')]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $map = $call->image('map');
        Crs::needMap($map->spec()->grid, $map->name(), 'map');
        $counts = ClassCounts::of($map, $call->context->part(0.0, 0.8));
        $points = LabelledPoints::read($call->path('points'), $map->spec()->grid->epsg, field: $call->text('field') ?: 'label');
        $figures = MatrixFigures::of($map, $counts, $points);
        if ($figures['points'] === 0) {
            throw Problem::input(
                'None of the '.count($points).' points in '.basename($call->path('points')).' has a label inside the map: label some first.',
                'points',
            );
        }
        $path = $call->outputs['result'];
        Files::write(
            $path,
            str_ends_with($path, '.json') ? json_encode($figures, JSON_PRETTY_PRINT | JSON_UNESCAPED_UNICODE)."\n" : MatrixFigures::csv($figures),
        );

        return $figures;
    }
}
