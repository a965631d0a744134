<?php

namespace App\Support;

use App\Models\Study;
use Chorometra\Core\Format\GeoJson;
use Chorometra\Core\Format\Vector\FeatureSet;
use Chorometra\Core\Format\Vector\Rings;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Ellipsoid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Problem;

/** The area that a study is about: polygons in longitude and latitude. */
final class Area
{
    private const MOST_PLACES = 20_000;

    /**
     * A geometry as it may be kept.
     *
     * @param  array<string, mixed>  $geometry
     * @return array{type: 'MultiPolygon', coordinates: list<list<list<array{float, float}>>>}
     */
    public static function checked(array $geometry, string $name): array
    {
        $polygons = match ($geometry['type'] ?? null) {
            'Polygon' => [$geometry['coordinates'] ?? []],
            'MultiPolygon' => $geometry['coordinates'] ?? [],
            default => throw Problem::input("$name is no polygon.", 'area'),
        };
        $count = 0;
        $out = [];
        foreach ((array) $polygons as $polygon) {
            $rings = [];
            foreach ((array) $polygon as $ring) {
                $places = [];
                foreach ((array) $ring as $place) {
                    if (! is_numeric($place[0] ?? null) || ! is_numeric($place[1] ?? null) || abs((float) $place[0]) > 360 || abs((float) $place[1]) > 90) {
                        throw Problem::input("$name has a place that lies nowhere on the Earth.", 'area');
                    }
                    $places[] = [(float) $place[0], (float) $place[1]];
                }
                if ($places !== [] && $places[0] !== end($places)) {
                    $places[] = $places[0];
                }
                if (count($places) < 4 || ($count += count($places)) > self::MOST_PLACES) {
                    throw Problem::input(count($places) < 4 ? "$name needs three corners at least." : "$name has more than ".self::MOST_PLACES.' corners: simplify it first.', 'area');
                }
                Rings::check($places, $name, 'area');
                $rings[] = $places;
            }
            $out[] = $rings;
        }
        if ($out === []) {
            throw Problem::input("$name is empty.", 'area');
        }

        return ['type' => 'MultiPolygon', 'coordinates' => $out];
    }

    /**
     * Rings drawn in map coordinates of the study.
     *
     * @param  list<list<array{float, float}>>  $rings
     * @return array<string, mixed>
     */
    public static function drawn(Study $study, array $rings): array
    {
        $projection = Crs::need($study->epsg, 'The study', 'area');

        return ['type' => 'Polygon', 'coordinates' => array_map(fn (array $ring): array => array_map(fn (array $place): array => array_map(fn (float $degrees): float => round($degrees, 8), $projection->inverse((float) $place[0], (float) $place[1])), $ring), $rings)];
    }

    /** @return array<string, mixed> all polygons of a file as one geometry */
    public static function file(string $path): array
    {
        $set = Vectors::read($path);
        $projection = $set->projection ?? throw Problem::input("$set->name names no CRS that is known here: take it in at Gather first, and say which it is.", 'area');
        $polygons = [];
        $count = 0;
        foreach ($set->features() as ['geometry' => $geometry]) {
            foreach (FeatureSet::polygons($geometry) as $rings) {
                $count += array_sum(array_map(count(...), $rings));
                if ($count > self::MOST_PLACES) {
                    throw Problem::input("$set->name has more than ".self::MOST_PLACES.' corners: simplify it first.', 'area');
                }
                $polygons[] = array_map(fn (array $ring): array => array_map(fn (array $place): array => $projection->inverse($place[0], $place[1]), $ring), $rings);
            }
        }
        if ($polygons === []) {
            throw Problem::input("$set->name holds no polygons.", 'area');
        }

        return ['type' => 'MultiPolygon', 'coordinates' => $polygons];
    }

    /** The area as a file for a step. */
    public static function write(Study $study, string $path): string
    {
        GeoJson::write($path, [['type' => 'Feature', 'properties' => ['name' => $study->name], 'geometry' => $study->area ?? throw Problem::call('The study has no area: draw one first.', 'within')]]);

        return $path;
    }

    /**
     * @return array{geometry: array<string, mixed>, rings: list<list<array{float, float}>>, bounds: list<float>, hectares: float}|null
     */
    public static function describe(Study $study): ?array
    {
        if ($study->area === null) {
            return null;
        }
        $projection = Crs::of($study->epsg);
        $rings = array_merge(...$study->area['coordinates']);
        $moved = $projection === null ? [] : array_map(fn (array $ring): array => array_map(fn (array $place): array => $projection->forward(...$place), $ring), $rings);
        $places = array_merge(...$rings);
        $hectares = 0.0;
        foreach ($study->area['coordinates'] as $polygon) {
            foreach ($polygon as $index => $ring) {
                $size = Ground::onEllipsoid($ring, new Ellipsoid) / 1e4;
                $hectares += $index === 0 ? $size : -$size;
            }
        }

        return ['geometry' => $study->area, 'rings' => array_values($moved), 'bounds' => [min(array_column($places, 0)), min(array_column($places, 1)), max(array_column($places, 0)), max(array_column($places, 1))], 'hectares' => $hectares];
    }
}
