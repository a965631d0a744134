<?php

namespace App\Http\Controllers;

use App\Models\Step;
use App\Steps\Inputs;
use App\Studies\Kept;
use Chorometra\Core\Assess\Check\ClassCounts;
use Chorometra\Core\Assess\Check\MatrixFigures;
use Chorometra\Core\Assess\Matrix;
use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Context;

/** The matrix of the check points that are labelled so far. */
final class MatrixController
{
    /** @return array<string, mixed> */
    public function __invoke(Step $step): array
    {
        $study = $step->study ?? throw Problem::call('This step has no study.');
        $item = Inputs::item($study, $step->inputs['map'] ?? [], 'map');
        $map = $item->image();
        $counts = Kept::of($item, 'counts of classes', fn (): ClassCounts => ClassCounts::of($map, new Context(1)), ClassCounts::class);
        $points = [];
        foreach ($step->drawing()->marks ?? [] as $mark) {
            [$longitude, $latitude] = $mark->geometry['coordinates'];
            [$x, $y] = GeoJson::toMap($longitude, $latitude, 4326, $map->spec()->grid->epsg, 'The points');
            $points[] = ['x' => $x, 'y' => $y, 'label' => $mark->class, 'second' => $mark->second, ...LabelledPoints::drawn($mark->properties ?? [])];
        }

        return MatrixFigures::of($map, $counts, $points);
    }
}
