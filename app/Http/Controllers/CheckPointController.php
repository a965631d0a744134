<?php

namespace App\Http\Controllers;

use App\Http\Describe;
use App\Models\CheckPoint;
use App\Models\Step;
use App\Support\Inputs;
use Chorometra\Core\Assess\ClassCounts;
use Chorometra\Core\Assess\Matrix;
use Chorometra\Core\Engine\Context;
use Chorometra\Core\Problem;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Cache;

final class CheckPointController
{
    /** @return list<array<string, mixed>> without the stratum: who labels must not see what the map says */
    public function index(Step $step): array
    {
        return array_map(Describe::point(...), array_values($step->points->all()));
    }

    /** @return array<string, mixed> */
    public function update(Request $request, CheckPoint $point): array
    {
        $point->update($request->validate(['label' => ['sometimes', 'nullable', 'string', 'max:120'], 'note' => ['sometimes', 'nullable', 'string', 'max:1000'], 'skipped' => ['sometimes', 'boolean']]));

        return Describe::point($point);
    }

    /**
     * The matrix of what is labelled so far.
     *
     * @return array<string, mixed>
     */
    public function matrix(Step $step): array
    {
        $study = $step->study ?? throw Problem::call('This step has no study.');
        $item = Inputs::item($study, $step->inputs['map'] ?? [], 'map');
        $map = $item->image();
        $counts = Cache::rememberForever("class-counts/$item->id", fn (): ClassCounts => ClassCounts::of($map, new Context(1)));
        $points = [];
        foreach ($step->points as $point) {
            $points[] = ['x' => $point->x, 'y' => $point->y, 'label' => $point->label];
        }

        return Matrix::figures($map, $counts, $points);
    }

    public function file(Step $step): JsonResponse
    {
        $features = [];
        foreach (Inputs::features($step->points) as $feature) {
            $features[] = $feature;
        }

        return new JsonResponse(['type' => 'FeatureCollection', 'features' => $features], 200, ['Content-Type' => 'application/geo+json', 'Content-Disposition' => "attachment; filename=\"check-points-$step->number.geojson\""], JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE);
    }
}
