<?php

namespace App\Studies;

use App\Models\Drawing;
use App\Models\Mark;
use App\Models\Study;
use Chorometra\Core\Format\Vector\FeatureSet;
use Chorometra\Core\Format\Vector\Geometry;
use Chorometra\Core\Format\Vector\PolygonRings;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Str;

/** What is drawn in the views: kept in longitude and latitude, drawn in the map coordinates of the study. */
final class Drawn
{
    private const MOST_PLACES = 20_000;

    private const MOST_MARKS = 10_000;

    /**
     * A geometry as it may be kept.
     *
     * @param  array<mixed>  $geometry  in longitude and latitude
     * @return array<string, mixed>
     *
     * @throws Problem where it lies nowhere, has too few or too many places, or crosses itself
     */
    public static function checked(array $geometry, string $name, string $about = 'geometry'): array
    {
        $geometry = Geometry::checked($geometry, $name);
        $places = Geometry::all($geometry);
        if ($places === []) {
            throw Problem::input("$name is empty.", $about);
        }
        if (count($places) > self::MOST_PLACES) {
            throw Problem::input("$name has more than ".number_format(self::MOST_PLACES).' corners: simplify it first.', $about);
        }
        foreach ($places as [$longitude, $latitude]) {
            if (abs($longitude) > 360 || abs($latitude) > 90) {
                throw Problem::input("$name has invalid coordinates.", $about);
            }
        }
        foreach (FeatureSet::polygons($geometry) as $rings) {
            foreach ($rings as $ring) {
                if (count($ring) < 4) {
                    throw Problem::input("$name needs at least three corners.", $about);
                }
                PolygonRings::check($ring, $name, $about);
            }
        }
        if ($geometry['type'] === 'LineString' && count($places) < 2) {
            throw Problem::input("$name needs at least two points.", $about);
        }

        return $geometry;
    }

    /**
     * From map coordinates of the study, to a hundredth of a millimetre.
     *
     * @param  array<mixed>  $geometry
     * @return array<string, mixed> in longitude and latitude
     */
    public static function toEarth(Study $study, array $geometry, string $name): array
    {
        $projection = Crs::need($study->epsg, 'The study', 'geometry');

        return Geometry::moved(
            Geometry::checked($geometry, $name),
            fn (float $x, float $y): array => array_map(
                fn (float $degrees): float => is_finite($degrees) ? round($degrees, 10) : 999.0,
                $projection->inverse($x, $y),
            ),
        );
    }

    /**
     * @param  array<string, mixed>  $geometry  in longitude and latitude
     * @return array<string, mixed>|null in map coordinates of the study; null where it has no CRS
     */
    public static function toMap(Study $study, array $geometry): ?array
    {
        $projection = Crs::of($study->epsg);

        return $projection === null ? null : Geometry::moved($geometry, $projection->forward(...));
    }

    /**
     * A drawing's marks are these, and no others.
     *
     * @param  list<array{key?: string, geometry: array<string, mixed>, class?: string|null, note?: string|null}>  $marks  checked, in longitude and latitude
     */
    public static function replace(Drawing $drawing, array $marks): void
    {
        if (count($marks) > self::MOST_MARKS) {
            throw Problem::input(self::called($drawing).' takes at most '.number_format(self::MOST_MARKS).' marks.', 'marks');
        }
        DB::transaction(function () use ($drawing, $marks): void {
            $drawing->marks()->delete();
            self::insert($drawing, $marks, 1);
        });
    }

    /**
     * Marks that join those that are there.
     *
     * @param  list<array{geometry: array<string, mixed>, class?: string|null, note?: string|null}>  $marks  checked, in longitude and latitude
     */
    public static function add(Drawing $drawing, array $marks): void
    {
        DB::transaction(function () use ($drawing, $marks): void {
            if ($drawing->marks()->count() + count($marks) > self::MOST_MARKS) {
                throw Problem::input(self::called($drawing).' takes at most '.number_format(self::MOST_MARKS).' marks.', 'marks');
            }
            self::insert($drawing, $marks, (int) $drawing->marks()->max('number') + 1);
        });
    }

    /**
     * Polygons and points of a file, by what a property says they are.
     *
     * @return list<array{geometry: array<string, mixed>, class: string|null}>
     */
    public static function ofFile(string $path, string $field): array
    {
        $set = Vectors::read($path);
        $projection = $set->projection ?? throw Problem::input(
            $set->crs === null ? "$set->name has no CRS: read it as a vector file with its crs set." : "$set->name is in $set->crs, which is not supported.",
            'upload',
        );
        $marks = [];
        foreach ($set->features() as $number => ['geometry' => $geometry, 'properties' => $properties]) {
            if ($geometry === null) {
                continue;
            }
            if (! array_key_exists($field, $properties)) {
                $there = implode(', ', array_keys($properties)) ?: 'none';
                throw Problem::input("$set->name: feature ".($number + 1)." has no property “{$field}”; it has $there.", 'field');
            }
            $class = $properties[$field];
            $earth = Geometry::moved(
                $geometry,
                fn (float $x, float $y): array => array_map(fn (float $one): float => round($one, 10), $projection->inverse($x, $y)),
            );
            $parts = match ($geometry['type']) {
                'MultiPolygon' => array_map(fn (array $rings): array => ['type' => 'Polygon', 'coordinates' => $rings], $earth['coordinates']),
                'MultiPoint' => array_map(fn (array $place): array => ['type' => 'Point', 'coordinates' => $place], $earth['coordinates']),
                'Polygon', 'Point' => [$earth],
                default => throw Problem::input("$set->name: feature ".($number + 1).' is neither an area nor a point.', 'upload'),
            };
            foreach ($parts as $part) {
                $marks[] = [
                    'geometry' => self::checked($part, "$set->name, feature ".($number + 1), 'upload'),
                    'class' => is_scalar($class) && trim((string) $class) !== '' ? mb_substr(trim((string) $class), 0, 120) : null,
                ];
            }
            if (count($marks) > self::MOST_MARKS) {
                throw Problem::input("$set->name has more than ".number_format(self::MOST_MARKS).' areas: use fewer.', 'upload');
            }
        }

        return $marks !== [] ? $marks : throw Problem::input("$set->name contains no areas.", 'upload');
    }

    /** @param  list<array{key?: string, geometry: array<string, mixed>, class?: string|null, note?: string|null}>  $marks */
    private static function insert(Drawing $drawing, array $marks, int $from): void
    {
        $now = now();
        $rows = [];
        foreach ($marks as $i => $mark) {
            $rows[] = [
                'drawing_id' => $drawing->id,
                'key' => $mark['key'] ?? (string) Str::uuid(),
                'number' => $i + $from,
                'geometry' => json_encode($mark['geometry']),
                'class' => $mark['class'] ?? null,
                'note' => $mark['note'] ?? null,
                'created_at' => $now,
                'updated_at' => $now,
            ];
        }
        foreach (array_chunk($rows, 500) as $some) {
            Mark::query()->insert($some);
        }
        $drawing->restamp();
    }

    /** How a drawing is called in sentences. */
    public static function called(Drawing $drawing): string
    {
        return $drawing->name === Drawing::AREA && $drawing->step_id === null ? 'The area' : "“{$drawing->name}”";
    }

    /** The number of a new mark. */
    public static function next(Drawing $drawing): int
    {
        if ($drawing->marks()->count() >= self::MOST_MARKS) {
            throw Problem::call(self::called($drawing).' takes at most '.number_format(self::MOST_MARKS).' marks: begin another.', 'geometry');
        }

        return (int) $drawing->marks()->max('number') + 1;
    }

    /**
     * As a file for a step, as it is drawn and labelled now.
     *
     * @return int the stamp of what was written
     */
    public static function write(Drawing $drawing, string $path): int
    {
        // one state of both, whoever draws meanwhile
        return DB::transaction(function () use ($drawing, $path): int {
            Vectors::write($path, self::features($drawing));

            return $drawing->refresh()->stamp;
        });
    }

    /** @return array<string, mixed> what else was said of a point */
    private static function more(Mark $mark): array
    {
        $people = array_filter(
            $mark->labels->pluck('class', 'person')->all(),
            fn (?string $class, string|int $person): bool => $class !== null && $person !== '',
            ARRAY_FILTER_USE_BOTH,
        );

        return array_filter(
            ['second' => $mark->second, 'sure' => $mark->sure, 'people' => $people === [] ? null : $people],
            fn (mixed $value): bool => $value !== null,
        );
    }

    /**
     * Points as a table for the field: without what they were drawn from, so that whoever looks there does not know what the map says.
     *
     * @return list<list<string|int|float|null>>
     */
    public static function rows(Drawing $drawing): array
    {
        $rows = [['number', 'longitude', 'latitude', 'label', 'second', 'sure', 'note']];
        foreach ($drawing->marks as $mark) {
            if ($mark->geometry['type'] === 'Point') {
                [$longitude, $latitude] = $mark->geometry['coordinates'];
                $rows[] = [$mark->number, $longitude, $latitude, $mark->class, $mark->second, $mark->sure, $mark->note];
            }
        }

        return $rows;
    }

    /** @return \Generator<array<string, mixed>> points carry what they are said to be as “label”, lines and areas as “class” */
    public static function features(Drawing $drawing): \Generator
    {
        $colours = $drawing->study === null ? [] : StudyLegend::colours($drawing->study);
        foreach ($drawing->marks()->with('labels')->lazy(500) as $mark) {
            $said = $mark->geometry['type'] === 'Point' ? 'label' : 'class';
            $colour = $drawing->step_id === null && isset($colours[(string) $mark->class]) ? ['colour' => $colours[(string) $mark->class]] : [];
            yield [
                'type' => 'Feature',
                'id' => $mark->number,
                'geometry' => $mark->geometry,
                'properties' => [
                    'number' => $mark->number,
                    ...($mark->properties ?? []),
                    $said => $mark->class,
                    ...self::more($mark),
                    'note' => $mark->note,
                    ...$colour,
                ],
            ];
        }
    }
}
