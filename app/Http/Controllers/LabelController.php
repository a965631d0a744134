<?php

namespace App\Http\Controllers;

use App\Models\Drawing;
use App\Models\Mark;
use App\Steps\Inputs;
use App\Studies\Drawn;
use App\Studies\LabelConsensus;
use Chorometra\Core\Assess\Check\Agreement;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\DB;

/** What people say of the points of a drawing: how far they agree, and what they said in the field. */
final class LabelController
{
    /** Steps of a degree in which places are told apart: a tenth of a metre. */
    private const STEPS = 1_000_000;

    /** Degrees within which a receiver in the field may put a point. */
    private const NEAR = 1e-3;

    /** @return array<string, mixed> people with how many they labelled, how far every two agree, and points on which they do not */
    public function agreement(Drawing $drawing): array
    {
        $points = $people = $apart = [];
        foreach ($drawing->marks as $mark) {
            $classes = array_map(fn (array $one): ?string => $one['class'], LabelConsensus::all($mark));
            $said = array_filter($classes, fn (?string $class): bool => $class !== null);
            foreach (array_keys($said) as $person) {
                $people[$person] = ($people[$person] ?? 0) + 1;
            }
            // what was settled together is no question any more
            if (count(array_unique($said)) > 1 && ! isset($said[''])) {
                $apart[] = ['key' => $mark->key, 'said' => array_map(
                    fn (string|int $person, string $class): array => ['name' => (string) $person, 'class' => $class],
                    array_keys($said),
                    $said,
                )];
            }
            $points[] = $said;
        }

        return [
            'people' => array_map(
                fn (string|int $name, int $labelled): array => ['name' => (string) $name, 'labelled' => $labelled],
                array_keys($people),
                $people,
            ),
            'pairs' => Agreement::of($points),
            'apart' => $apart,
        ];
    }

    /**
     * Labels of a file join the points that they belong to: by number where they lie near, else by place.
     *
     * @return array{taken: int, strange: int, without: int}
     */
    public function take(Request $request, Drawing $drawing): array
    {
        $given = $request->validate([
            'upload' => ['required', 'string', 'max:300'],
            'field' => ['sometimes', 'string', 'max:200'],
            'person' => ['sometimes', 'nullable', 'string', 'max:60'],
        ]);
        if ($drawing->marks->contains(fn (Mark $mark): bool => $mark->geometry['type'] !== 'Point')) {
            throw Problem::call(
                Drawn::called($drawing).' contains areas: labels can be imported for points only. Import areas from a file with their classes.',
                'upload',
            );
        }
        $study = $drawing->study ?? throw new \LogicException('A drawing has a study.');
        $path = Inputs::file($study, ['upload' => $given['upload']], 'labels');
        $field = $given['field'] ?? 'label';
        $read = LabelledPoints::places($path, 'upload');
        $marks = $drawing->marks->keyBy('number')->all();
        $places = [];
        foreach ($marks as $mark) {
            [$x, $y] = $mark->geometry['coordinates'];
            $places[self::step((float) $x).' '.self::step((float) $y)] = $mark;
        }
        $told = ['taken' => 0, 'strange' => 0, 'without' => 0];
        DB::transaction(function () use ($read, $marks, $places, $field, $given, &$told): void {
            foreach ($read['points'] as ['x' => $x, 'y' => $y, 'told' => $properties]) {
                [$longitude, $latitude] = $read['epsg'] === 4326 ? [$x, $y] : (Crs::toGeographic($read['epsg'], $x, $y) ?? [NAN, NAN]);
                $number = $properties['number'] ?? null;
                $numbered = is_numeric($number) ? $marks[(int) $number] ?? null : null;
                $mark = $numbered !== null && self::isNear($numbered, $longitude, $latitude) ? $numbered : self::at($places, $longitude, $latitude);
                $label = $properties[$field] ?? null;
                if ($mark === null || ! is_scalar($label) || trim((string) $label) === '') {
                    $told[$mark === null ? 'strange' : 'without']++;

                    continue;
                }
                LabelConsensus::take($mark, trim((string) ($given['person'] ?? '')), [
                    'class' => mb_substr(trim((string) $label), 0, 120),
                    'second' => self::text($properties['second'] ?? null),
                    'sure' => in_array($properties['sure'] ?? null, LabelConsensus::SURE, true) ? $properties['sure'] : null,
                    'skipped' => false,
                ]);
                $mark->update(['note' => self::text($properties['note'] ?? null) ?? $mark->note]);
                $told['taken']++;
            }
        });
        if ($told['taken'] === 0) {
            throw Problem::input(
                basename($path).' contains no labels for these points: '.($told['without'] > 0
                    ? "its field “{$field}” is empty."
                    : 'neither point numbers nor positions match.'),
                'upload',
            );
        }
        $drawing->restamp();

        return $told;
    }

    private static function step(float $degrees): int
    {
        return (int) round($degrees * self::STEPS);
    }

    /** A number of another draw is that of a place elsewhere. */
    private static function isNear(Mark $mark, float $longitude, float $latitude): bool
    {
        [$x, $y] = $mark->geometry['coordinates'];

        return abs($x - $longitude) < self::NEAR && abs($y - $latitude) < self::NEAR;
    }

    /** @param  array<string, Mark>  $places  by steps of longitude and latitude */
    private static function at(array $places, float $longitude, float $latitude): ?Mark
    {
        // what was rounded on the way may lie one step beside
        foreach (is_nan($longitude + $latitude) ? [] : [0, -1, 1] as $dx) {
            foreach ([0, -1, 1] as $dy) {
                $found = $places[(self::step($longitude) + $dx).' '.(self::step($latitude) + $dy)] ?? null;
                if ($found !== null) {
                    return $found;
                }
            }
        }

        return null;
    }

    private static function text(mixed $value): ?string
    {
        return is_scalar($value) && trim((string) $value) !== '' ? mb_substr(trim((string) $value), 0, 1000) : null;
    }
}
