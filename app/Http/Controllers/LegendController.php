<?php

namespace App\Http\Controllers;

use App\Models\Study;
use App\Studies\StudyLegend;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Illuminate\Support\Facades\DB;

/** The classes of a study: their colours and their order. */
final class LegendController
{
    public function __invoke(Request $request, Study $study): Response
    {
        $given = $request->validate([
            'classes' => ['present', 'array', 'max:500'],
            'classes.*' => ['array:name,colour'],
            'classes.*.name' => ['required', 'string', 'max:120', 'distinct'],
            'classes.*.colour' => ['required', 'regex:/^#[0-9a-f]{6}$/'],
        ]);
        $classes = array_map(fn (array $one): array => ['name' => $one['name'], 'colour' => $one['colour']], array_values($given['classes']));
        DB::transaction(fn () => StudyLegend::set($study, $classes));

        return response()->noContent();
    }
}
