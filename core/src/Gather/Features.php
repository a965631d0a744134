<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Format\GeoJson;
use Chorometra\Core\Format\Vector\FeatureSet;
use Chorometra\Core\Format\Vector\Rings;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Projection;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\WholeKind;

/** Points, lines and polygons from a file, taken in as GeoJSON. */
final class Features implements WholeKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.features',
            'Points, lines, polygons',
            'Reads points, lines or polygons, such as the outline of the area you study or places you were at.',
            [new Port('file', PortType::File, 'A GeoJSON file, a GeoPackage, or a shapefile with what belongs to it (.shp, .dbf, .prj).')],
            [
                Setting::text('layer', null, 'Which table of a GeoPackage; the first when empty.'),
                Setting::whole('crs', null, 'EPSG code of the CRS, where the file names none.', least: 1024, most: 32766),
            ],
            [new Port('result', PortType::Features, 'The features, in longitude and latitude.', endings: ['.geojson'])],
            'GeoJSON: RFC 7946. GeoPackage: OGC 12-128r18. Shapefile: technical description, 1998.',
        );
    }

    public function memory(Call $call): int
    {
        $path = $call->path('file');

        return 16 * (int) (is_file($path) ? filesize($path) : 0) + (64 << 20);
    }

    public function compute(Call $call): array
    {
        $set = Vectors::read($call->path('file'), $call->text('layer') ?: null);
        if ($set->features === []) {
            throw Problem::input("$set->name holds no features.", 'file');
        }
        $from = $this->projection($call, $set);
        $fields = [];
        $box = [INF, INF, -INF, -INF];
        $out = [];
        foreach ($set->features as ['geometry' => $geometry, 'properties' => $properties]) {
            $fields += array_fill_keys(array_keys($properties), true);
            $out[] = ['type' => 'Feature', 'geometry' => $geometry === null ? null : self::moved($geometry, $from, $box, $set->name), 'properties' => (object) $properties];
        }
        GeoJson::write($call->outputs['result'], $out);

        return ['read' => $set->name, 'format' => $set->format, 'crs' => $set->crs, 'features' => count($out), 'kinds' => $set->counts(), 'fields' => array_keys($fields), 'bounds' => is_finite($box[0]) ? array_map(fn (float $degrees): float => round($degrees, 6), $box) : null];
    }

    private function projection(Call $call, FeatureSet $set): Projection
    {
        $crs = $call->whole('crs');
        if ($crs !== 0) {
            if ($set->projection !== null && $set->format !== 'GeoJSON') {
                throw Problem::call("$set->name says itself that it is in $set->crs; leave the setting crs empty.", 'crs');
            }

            return Crs::need($crs, $set->name, 'crs');
        }

        return $set->projection ?? throw Problem::input($set->crs === null ? "$set->name names no CRS: say which it is in." : "$set->name is in $set->crs, which is not known here: bring it in another.", 'crs');
    }

    /**
     * @param  array<string, mixed>  $geometry
     * @param  array{float, float, float, float}  $box  grows with what is met
     * @return array<string, mixed>
     */
    private static function moved(array $geometry, Projection $from, array &$box, string $name): array
    {
        if (isset($geometry['geometries'])) {
            $parts = [];
            foreach ((array) $geometry['geometries'] as $part) {
                $parts[] = self::moved((array) $part, $from, $box, $name);
            }

            return ['type' => 'GeometryCollection', 'geometries' => $parts];
        }
        $move = function (mixed $places) use (&$move, $from, &$box, $name): array {
            if (! is_array($places)) {
                throw Problem::input("$name is broken: a geometry in it has no coordinates.", 'file');
            }
            if (isset($places[0]) && is_numeric($places[0])) {
                [$x, $y] = $from->inverse((float) $places[0], (float) ($places[1] ?? NAN));
                if (! is_finite($x) || ! is_finite($y) || abs($y) > 90) {
                    throw Problem::input("$name has a place that lies nowhere on the Earth ($places[0], ".($places[1] ?? 'nothing').'): its CRS may be another.', 'crs');
                }
                $box = [min($box[0], $x), min($box[1], $y), max($box[2], $x), max($box[3], $y)];

                return [round($x, 9), round($y, 9)];
            }

            return array_map($move, array_values($places));
        };
        if (($geometry['type'] ?? '') === 'Polygon' || ($geometry['type'] ?? '') === 'MultiPolygon') {
            foreach (($geometry['type'] === 'Polygon' ? [$geometry['coordinates'] ?? []] : $geometry['coordinates'] ?? []) as $rings) {
                foreach ((array) $rings as $ring) {
                    Rings::check(array_map(fn (mixed $place): array => [(float) ($place[0] ?? NAN), (float) ($place[1] ?? NAN)], array_values((array) $ring)), $name, 'file');
                }
            }
        }

        return ['type' => (string) ($geometry['type'] ?? 'Point'), 'coordinates' => $move($geometry['coordinates'] ?? null)];
    }
}
