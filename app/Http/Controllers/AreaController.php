<?php

namespace App\Http\Controllers;

use App\Http\Describe;
use App\Http\Requests\StepRequest;
use App\Models\Study;
use App\Steps\Inputs;
use App\Studies\Area;
use App\Studies\Drawn;
use Chorometra\Core\Problem;
use Illuminate\Http\Request;

/** The area that a study is about: drawn, typed, or from a file. */
final class AreaController
{
    /** @return array<string, mixed> */
    public function update(Request $request, Study $study): array
    {
        $given = $request->validate([
            'geometry' => ['sometimes', 'array:type,coordinates'],
            'rings' => ['sometimes', 'array', 'max:100'],
            'rings.*' => ['array', 'max:5000'],
            'rings.*.*' => ['array', 'size:2'],
            'rings.*.*.*' => ['numeric'],
            'bounds' => ['sometimes', 'array', 'size:4'],
            'bounds.*' => ['numeric'],
            ...StepRequest::source('file.'),
            'file' => ['sometimes', 'array:step,output,upload'],
        ]);
        if (isset($given['bounds'])) {
            [$west, $south, $east, $north] = array_map(floatval(...), array_values($given['bounds']));
            if ($west >= $east || $south >= $north) {
                throw Problem::call('West must be less than east and south less than north.', 'area');
            }
            $given['geometry'] = [
                'type' => 'Polygon',
                'coordinates' => [[[$west, $south], [$east, $south], [$east, $north], [$west, $north], [$west, $south]]],
            ];
        }
        $geometry = match (true) {
            isset($given['geometry']) => $given['geometry'],
            isset($given['rings']) => Drawn::toEarth($study, ['type' => 'Polygon', 'coordinates' => $given['rings']], 'The area'),
            isset($given['file']) => Area::file(Inputs::resolve($study, ['area' => $given['file']], sys_get_temp_dir())['paths']['area']),
            default => throw Problem::call('Give the area as a geometry, rings, bounds or a file.', 'area'),
        };
        Area::set($study, $geometry);

        return Describe::study($study->refresh());
    }

    /** @return array<string, mixed> */
    public function destroy(Study $study): array
    {
        Area::set($study, null);

        return Describe::study($study->refresh());
    }
}
