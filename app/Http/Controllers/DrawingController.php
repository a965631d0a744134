<?php

namespace App\Http\Controllers;

use App\Http\Describe;
use App\Http\Outdated;
use App\Models\Drawing;
use App\Models\Mark;
use App\Models\Study;
use App\Steps\Inputs;
use App\Studies\Drawn;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Problem;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Illuminate\Support\Facades\DB;

/** What people draw under one name. */
final class DrawingController
{
    private const MOST = 100;

    public function store(Request $request, Study $study): JsonResponse
    {
        $drawing = DB::transaction(function () use ($request, $study): Drawing {
            if ($study->drawings()->count() >= self::MOST) {
                throw Problem::call('A study takes at most '.self::MOST.' drawings: remove one first.');
            }

            return $study->drawings()->create(['name' => $this->name($request, $study)]);
        });
        $study->changed();

        return new JsonResponse(Describe::drawing($drawing->refresh()), 201);
    }

    /** @return array<string, mixed> with its marks, in map coordinates of the study and without what the map says of check points */
    public function show(Request $request, Drawing $drawing): array
    {
        $person = $request->has('person') ? trim($request->string('person')) : null;

        return [
            ...Describe::drawing($drawing),
            'marks' => array_values($drawing->marks->map(fn (Mark $mark): array => Describe::mark($mark->setRelation('drawing', $drawing), $person))->all()),
        ];
    }

    /** @return array<string, mixed> */
    public function update(Request $request, Drawing $drawing): array
    {
        self::ofPeople($drawing);
        $study = $drawing->study ?? throw new \LogicException('A drawing has a study.');
        if ($drawing->name === Drawing::AREA) {
            throw Problem::call('The study\'s area keeps its name.', 'name');
        }
        DB::transaction(fn (): bool => $drawing->update(['name' => $this->name($request, $study)]));
        $study->changed();

        return Describe::drawing($drawing);
    }

    public function destroy(Drawing $drawing): Response
    {
        self::ofPeople($drawing);
        foreach ($drawing->study->steps ?? [] as $step) {
            foreach ($step->inputs as $name => $input) {
                if (($input['drawing'] ?? null) === $drawing->id) {
                    throw Problem::call("Step $step->number uses ".Drawn::called($drawing)." (input $name): choose another there first.");
                }
            }
        }
        $drawing->delete();
        $drawing->study?->changed();

        return response()->noContent();
    }

    /**
     * All marks at once.
     *
     * @return array<string, mixed>
     */
    public function marks(Request $request, Drawing $drawing): array
    {
        self::ofPeople($drawing);
        $given = $request->validate([
            'marks' => ['present', 'array', 'max:10000'],
            'marks.*' => ['array'],
            'marks.*.key' => ['required', 'uuid', 'distinct'],
            ...MarkController::rules('marks.*.'),
        ]);
        $study = $drawing->study ?? throw new \LogicException('A drawing has a study.');
        $marks = array_map(fn (array $mark): array => [
            'key' => $mark['key'],
            'geometry' => Drawn::checked(Drawn::toEarth($study, $mark['geometry'], 'A mark'), 'A mark'),
            'class' => $mark['class'] ?? null,
            'note' => $mark['note'] ?? null,
        ], array_values($given['marks']));
        DB::transaction(function () use ($request, $drawing, $marks): void {
            $drawing->refresh();
            Outdated::unless($request, $drawing->stamp, Drawn::called($drawing), fn (): array => $this->show($request, $drawing));
            foreach (array_chunk(array_column($marks, 'key'), 500) as $keys) {
                if (Mark::query()->whereIn('key', $keys)->where('drawing_id', '!=', $drawing->id)->exists()) {
                    throw Problem::call('A mark with this key is in another drawing.', 'key');
                }
            }
            Drawn::replace($drawing, $marks);
        });

        return $this->show($request, $drawing->refresh());
    }

    /**
     * Areas and points of a file that was uploaded join the drawing, with what one of its properties says they are.
     *
     * @return array<string, mixed>
     */
    public function take(Request $request, Drawing $drawing): array
    {
        self::ofPeople($drawing);
        $given = $request->validate(['upload' => ['required', 'string', 'max:300'], 'field' => ['required', 'string', 'max:200']]);
        $study = $drawing->study ?? throw new \LogicException('A drawing has a study.');
        Drawn::add($drawing, Drawn::ofFile(Inputs::file($study, ['upload' => $given['upload']], 'areas'), $given['field']));

        return $this->show($request, $drawing->refresh());
    }

    public function file(Request $request, Drawing $drawing): JsonResponse|Response
    {
        $name = preg_replace('/[^\p{L}\p{N}]+/u', '-', $drawing->step_id === null ? $drawing->name : "$drawing->name {$drawing->step?->number}");

        if ($request->query('as') === 'csv') {
            return new Response(Csv::of(Drawn::rows($drawing)), 200, [
                'Content-Type' => 'text/csv; charset=utf-8',
                'Content-Disposition' => "attachment; filename=\"$name.csv\"; filename*=UTF-8''".rawurlencode("$name.csv"),
            ]);
        }

        return new JsonResponse(
            ['type' => 'FeatureCollection', 'features' => iterator_to_array(Drawn::features($drawing), false)],
            200,
            [
                'Content-Type' => 'application/geo+json',
                'Content-Disposition' => "attachment; filename=\"$name.geojson\"; filename*=UTF-8''".rawurlencode("$name.geojson"),
            ],
            JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE,
        );
    }

    /** What a step drew is drawn anew by running it. */
    public static function ofPeople(Drawing $drawing): void
    {
        if ($drawing->step_id !== null) {
            throw Problem::call("These points were drawn by step {$drawing->step?->number}: they can be labelled but not moved. Run it again for others.");
        }
    }

    private function name(Request $request, Study $study): string
    {
        $name = trim($request->validate(['name' => ['required', 'string', 'max:60']], ['name.*' => 'Give the drawing a name of at most 60 letters.'])['name']);
        if ($name === '' || $name === Drawing::AREA || $study->drawings()->whereNull('step_id')->where('name', $name)->exists()) {
            throw Problem::call($name === '' ? 'Give the drawing a name.' : "The name “{$name}” is taken: give the drawing another name.", 'name');
        }

        return $name;
    }
}
