<?php

namespace App\Http\Controllers;

use App\Http\Describe;
use App\Http\Outdated;
use App\Models\Drawing;
use App\Models\Mark;
use App\Studies\Drawn;
use App\Studies\LabelConsensus;
use Chorometra\Core\Problem;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Str;
use Illuminate\Validation\Rule;

/** Points, lines and areas, one by one. */
final class MarkController
{
    /** @return array<string, list<string>> */
    public static function rules(string $prefix = '', string $need = 'required'): array
    {
        return [
            "{$prefix}geometry" => [$need, 'array:type,coordinates'],
            "{$prefix}class" => ['sometimes', 'nullable', 'string', 'max:120'],
            "{$prefix}note" => ['sometimes', 'nullable', 'string', 'max:1000'],
        ];
    }

    /**
     * Drawn, or back where it was: the key is the drawer's.
     *
     * @return array<string, mixed>
     */
    public function put(Request $request, Drawing $drawing, string $key): array
    {
        DrawingController::ofPeople($drawing);
        if (! Str::isUuid($key)) {
            throw Problem::call('The key of a mark is a UUID.', 'key');
        }
        $given = $request->validate(self::rules());

        return DB::transaction(function () use ($request, $drawing, $key, $given): array {
            $mark = Mark::query()->firstOrNew(['key' => $key], ['drawing_id' => $drawing->id]);
            if ($mark->drawing_id !== $drawing->id) {
                throw Problem::call('A mark with this key is in another drawing.', 'key');
            }
            $mark->setRelation('drawing', $drawing);
            self::asSeen($request, $mark);
            $mark->number ??= Drawn::next($drawing);
            $this->fill($mark, $given);

            return Describe::mark($mark);
        });
    }

    /** @return array<string, mixed> */
    public function update(Request $request, Mark $mark): array
    {
        $given = $request->validate([
            ...self::rules(need: 'sometimes'),
            'skipped' => ['sometimes', 'boolean'],
            'second' => ['sometimes', 'nullable', 'string', 'max:120'],
            'sure' => ['sometimes', 'nullable', Rule::in(LabelConsensus::SURE)],
            'person' => ['sometimes', 'nullable', 'string', 'max:60'],
        ]);
        $person = $request->has('person') ? trim((string) ($given['person'] ?? '')) : null;
        if (isset($given['geometry'], $mark->drawing)) {
            DrawingController::ofPeople($mark->drawing);
        }

        return DB::transaction(function () use ($request, $mark, $given, $person): array {
            self::asSeen($request, $mark->refresh());
            $this->fill($mark, $given);

            return Describe::mark($mark, $person);
        });
    }

    public function destroy(Request $request, Mark $mark): Response
    {
        $drawing = $mark->drawing ?? throw new \LogicException('A mark has a drawing.');
        DrawingController::ofPeople($drawing);
        DB::transaction(function () use ($request, $mark, $drawing): void {
            self::asSeen($request, $mark->refresh());
            $mark->delete();
            $drawing->restamp();
        });

        return response()->noContent();
    }

    private static function asSeen(Request $request, Mark $mark): void
    {
        // one that is not there yet, or not any more, may be drawn by anybody
        if ($mark->exists) {
            Outdated::unless($request, $mark->stamp(), "Mark $mark->number", fn (): array => Describe::mark($mark));
        }
    }

    /** @param  array<string, mixed>  $given */
    private function fill(Mark $mark, array $given): void
    {
        $drawing = $mark->drawing;
        $study = $drawing->study ?? throw new \LogicException('A mark has a drawing, and that a study.');
        if (isset($given['geometry'])) {
            $called = $drawing->name === Drawing::AREA ? 'The area' : 'The '.match ($given['geometry']['type'] ?? null) {
                'Point' => 'point',
                'LineString' => 'line',
                default => 'area',
            };
            $given['geometry'] = Drawn::checked(Drawn::toEarth($study, $given['geometry'], $called), $called);
            if ($drawing->name === Drawing::AREA && $given['geometry']['type'] !== 'Polygon') {
                throw Problem::call('The area is not a polygon.', 'geometry');
            }
        }
        if ($mark->exists && $drawing->step_id !== null) {
            LabelConsensus::take($mark, trim((string) ($given['person'] ?? '')), $given);
            $given = array_intersect_key($given, ['note' => 1]);
        }
        $mark->fill(array_diff_key($given, ['person' => 1]))->save();
        $drawing->restamp();
    }
}
