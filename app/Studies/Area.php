<?php

namespace App\Studies;

use App\Models\Drawing;
use App\Models\Mark;
use App\Models\Study;
use Chorometra\Core\Format\Vector\FeatureSet;
use Chorometra\Core\Format\Vector\Geometry;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Ellipsoid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Problem;

/** The area that a study is about: the polygons of one of its drawings. */
final class Area
{
    /** The drawing that holds it, made when it is first asked for. */
    public static function drawing(Study $study): Drawing
    {
        return $study->drawings()->firstOrCreate(['name' => Drawing::AREA, 'step_id' => null]);
    }

    /**
     * What the area is from now on; null takes it away.
     *
     * @param  array<mixed>|null  $geometry  in longitude and latitude
     */
    public static function set(Study $study, ?array $geometry): void
    {
        $polygons = $geometry === null ? [] : FeatureSet::polygons(Drawn::checked($geometry, 'The area', 'area'));
        if ($geometry !== null && $polygons === []) {
            throw Problem::input('The area is not a polygon.', 'area');
        }
        Drawn::replace(self::drawing($study), array_map(fn (array $rings): array => ['geometry' => ['type' => 'Polygon', 'coordinates' => $rings]], $polygons));
    }

    /** @return array<string, mixed> all polygons of a file as one geometry */
    public static function file(string $path): array
    {
        $set = Vectors::read($path);
        $projection =
            $set->projection ?? throw Problem::input("$set->name has no CRS that is supported: read it at Gather first, and set its CRS.", 'area');
        $polygons = [];
        foreach ($set->features() as ['geometry' => $geometry]) {
            foreach (FeatureSet::polygons($geometry) as $rings) {
                $polygons[] = Geometry::moved(['type' => 'Polygon', 'coordinates' => $rings], $projection->inverse(...))['coordinates'];
            }
            if (count($polygons) > 10_000) {
                throw Problem::input("$set->name has more than 10,000 polygons: simplify it first.", 'area');
            }
        }
        if ($polygons === []) {
            throw Problem::input("$set->name contains no polygons.", 'area');
        }

        return ['type' => 'MultiPolygon', 'coordinates' => $polygons];
    }

    /**
     * As a file for a step.
     *
     * @return int the stamp of what was written
     */
    public static function write(Study $study, string $path): int
    {
        $drawing = self::drawing($study);
        if ($drawing->stamp === 0) {
            throw Problem::call('The study has no area: draw one first.', 'within');
        }

        return Drawn::write($drawing, $path);
    }

    /**
     * @return array{drawing: int, geometry: array<string, mixed>, rings: list<list<array{float, float}>>, bounds: list<float>, hectares: float}|null
     */
    public static function describe(Study $study): ?array
    {
        $drawing = $study->drawings()->where('name', Drawing::AREA)->whereNull('step_id')->first();
        if ($drawing === null || $drawing->stamp === 0) {
            return null;
        }
        $polygons = $drawing->marks->map(fn (Mark $mark): array => $mark->geometry['coordinates'])->all();
        if ($polygons === []) {
            // taken away just now, before it was stamped anew
            return null;
        }
        $geometry = ['type' => 'MultiPolygon', 'coordinates' => array_values($polygons)];
        $places = Geometry::all($geometry);
        $hectares = 0.0;
        foreach ($polygons as $polygon) {
            foreach ($polygon as $index => $ring) {
                $size = Ground::onEllipsoid($ring, new Ellipsoid) / 1e4;
                $hectares += $index === 0 ? $size : -$size;
            }
        }
        $projection = Crs::of($study->epsg);

        return [
            'drawing' => $drawing->id,
            'geometry' => $geometry,
            'rings' => $projection === null ? [] : array_merge(...Geometry::moved($geometry, $projection->forward(...))['coordinates']),
            'bounds' => [min(array_column($places, 0)), min(array_column($places, 1)), max(array_column($places, 0)), max(array_column($places, 1))],
            'hectares' => $hectares,
        ];
    }
}
