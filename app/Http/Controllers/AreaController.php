<?php

namespace App\Http\Controllers;

use App\Http\Describe;
use App\Models\Study;
use App\Support\Area;
use App\Support\Inputs;
use Chorometra\Core\Problem;
use Illuminate\Http\Request;

/** The area that a study is about: drawn, typed, or from a file. */
final class AreaController
{
    /** @return array<string, mixed> */
    public function update(Request $request, Study $study): array
    {
        $given = $request->validate([
            'geometry' => ['sometimes', 'array'],
            'rings' => ['sometimes', 'array', 'max:100'],
            'rings.*' => ['array', 'max:5000'],
            'rings.*.*' => ['array', 'size:2'],
            'rings.*.*.*' => ['numeric'],
            'bounds' => ['sometimes', 'array', 'size:4'],
            'bounds.*' => ['numeric'],
            'file' => ['sometimes', 'array:step,output,upload'],
        ]);
        if (isset($given['bounds'])) {
            [$west, $south, $east, $north] = array_map(floatval(...), array_values($given['bounds']));
            if ($west >= $east || $south >= $north) {
                throw Problem::call('West must lie below east and south below north.', 'area');
            }
            $given['geometry'] = ['type' => 'Polygon', 'coordinates' => [[[$west, $south], [$east, $south], [$east, $north], [$west, $north], [$west, $south]]]];
        }
        $geometry = match (true) {
            isset($given['geometry']) => $given['geometry'],
            isset($given['rings']) => Area::drawn($study, array_values($given['rings'])),
            isset($given['file']) => Area::file(Inputs::resolve($study, ['area' => $given['file']], sys_get_temp_dir())['paths']['area']),
            default => throw Problem::call('Give the area as a geometry, rings, bounds or a file.', 'area'),
        };
        $study->update(['area' => Area::checked($geometry, 'The area')]);
        $study->changed();

        return Describe::study($study->refresh());
    }

    /** @return array<string, mixed> */
    public function destroy(Study $study): array
    {
        $study->update(['area' => null]);
        $study->changed();

        return Describe::study($study->refresh());
    }
}
