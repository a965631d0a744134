<?php

namespace App\Http\Controllers;

use App\Http\Outdated;
use App\Models\Study;
use App\Steps\Inputs;
use App\Studies\StudyLegend;
use Chorometra\Core\Classify\Training\PublishedLegends;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Raster\Legend;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\DB;

/** The classes of a study: their colours and their order. */
final class LegendController
{
    /** @return array{stamp: string} that it has now */
    public function __invoke(Request $request, Study $study): array
    {
        $given = $request->validate([
            'classes' => ['present', 'array', 'max:500'],
            'classes.*' => ['array:name,colour'],
            'classes.*.name' => ['required', 'string', 'max:120', 'distinct'],
            'classes.*.colour' => ['required', 'regex:/^#[0-9a-f]{6}$/'],
        ]);
        $classes = array_map(fn (array $one): array => ['name' => $one['name'], 'colour' => $one['colour']], array_values($given['classes']));
        DB::transaction(function () use ($request, $study, $classes): void {
            $now = StudyLegend::classes($study);
            Outdated::unless($request, StudyLegend::stamp($now), 'The legend', fn (): array => ['classes' => $now, 'stamp' => StudyLegend::stamp($now)]);
            StudyLegend::set($study, $classes);
        });

        return ['stamp' => StudyLegend::stamp($classes)];
    }

    /**
     * Classes that join: by name, of a legend that is published, or of a file. Those that are there keep their colour; new ones take what their name
     * suggests.
     *
     * @return array{names: list<string>}
     */
    public function meet(Request $request, Study $study): array
    {
        $given = $request->validate([
            'names' => ['required_without_all:published,upload', 'array', 'max:254'],
            'names.*' => ['string', 'max:120'],
            'published' => ['sometimes', 'string', 'max:100'],
            'upload' => ['sometimes', 'string', 'max:300'],
        ]);
        $legend = match (true) {
            isset($given['published']) => PublishedLegends::read($given['published']),
            isset($given['upload']) => PublishedLegends::legend(Document::read(Inputs::file($study, ['upload' => $given['upload']], 'legend'), 'legend')),
            default => Legend::of(array_values(array_unique(array_filter(array_map(trim(...), $given['names']))))),
        };
        StudyLegend::meet($study, $legend);
        $study->changed();

        return ['names' => array_column($legend->classes, 'name')];
    }

    /** @return list<array{id: string, name: string, source: string, classes: list<array{value: int, name: string, colour: string}>}> */
    public function published(): array
    {
        return PublishedLegends::all();
    }
}
