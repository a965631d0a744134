<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Format\Vector\FeatureSet;
use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Format\Vector\Geometry;
use Chorometra\Core\Format\Vector\PolygonRings;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\OnDatum;
use Chorometra\Core\Geo\Projection;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;

/** Points, lines and polygons from a file, taken in as GeoJSON. */
final class Features implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.features',
            'Vector file',
            'Reads points, lines or polygons, such as the outline of the study area or places visited in the field.',
            [
                new Port(
                    'file',
                    PortType::File,
                    'A GeoJSON file, a GeoPackage, or a shapefile with its companion files (.shp, .dbf, .prj).',
                    sample: 'places.geojson',
                ),
            ],
            [
                Setting::text('layer', null, 'Layer of a GeoPackage. Empty: the first.')->ofImage(),
                Setting::whole('crs', null, 'EPSG code of the CRS, for a file that names none.', least: 1024, most: 32766)->ofImage(),
            ],
            [new Port('result', PortType::Features, 'The features, in longitude and latitude.', endings: Vectors::endings())],
            'GeoJSON: RFC 7946. GeoPackage: OGC 12-128r18. Shapefile: technical description, 1998.',
            synonyms: ['shapefile', 'GeoPackage', 'GeoJSON', 'import vector'],
            figures: [
                Figure::text('read', 'read'),
                Figure::text('format', 'format'),
                Figure::text('crs', 'CRS'),
                Figure::number('features', 'features'),
                Figure::named('kinds', 'geometry types'),
                Figure::list('fields', 'fields'),
                Figure::list('bounds', 'bounds', '°'),
            ],
            desk: new Desk(4, makes: 'features'),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $set = Vectors::read($call->path('file'), $call->text('layer') ?: null);
        $from = $this->projection($call, $set);
        $told = ['features' => 0, 'kinds' => [], 'fields' => [], 'box' => [INF, INF, -INF, -INF]];
        Vectors::write($call->outputs['result'], $this->moved($call, $set, $from, $told));
        if ($told['features'] === 0) {
            @unlink($call->outputs['result']);
            throw Problem::input("$set->name holds no features.", 'file');
        }

        return ['read' => $set->name, 'format' => $set->format, 'crs' => $set->crs] +
            ($from instanceof OnDatum ? ['datum' => $from->datum->words()] : []) + [
                'features' => $told['features'],
                'kinds' => $told['kinds'],
                'fields' => array_keys($told['fields']),
                'bounds' => is_finite($told['box'][0]) ? array_map(fn (float $degrees): float => round($degrees, 6), $told['box']) : null,
            ];
    }

    /**
     * @param  array{features: int, kinds: array<string, int>, fields: array<string, true>, box: array{float, float, float, float}}  $told
     *   grows with what is met
     * @return \Generator<int, array<string, mixed>>
     */
    private function moved(Call $call, FeatureSet $set, Projection $from, array &$told): \Generator
    {
        foreach ($set->features() as ['geometry' => $geometry, 'properties' => $properties]) {
            $type = FeatureSet::type($geometry);
            $told['kinds'][$type] = ($told['kinds'][$type] ?? 0) + 1;
            $told['fields'] += array_fill_keys(array_keys($properties), true);
            if (++$told['features'] % 1000 === 0) {
                $call->context->report(0.5, number_format($told['features']).' features');
            }
            foreach (FeatureSet::polygons($geometry) as $rings) {
                foreach ($rings as $ring) {
                    PolygonRings::check($ring, $set->name, 'file');
                }
            }
            yield [
                'geometry' => $geometry === null ? null : self::placed($geometry, $from, $told['box'], $set->name),
                'properties' => (object) $properties,
            ];
        }
    }

    private function projection(Call $call, FeatureSet $set): Projection
    {
        $crs = $call->whole('crs');
        if ($crs !== 0) {
            if ($set->projection !== null && $set->format !== 'GeoJSON') {
                throw Problem::call("$set->name names its CRS, $set->crs; leave the setting crs empty.", 'crs');
            }

            return Crs::need($crs, $set->name, 'crs');
        }

        return $set->projection ??
            throw Problem::input(
                $set->crs === null
                    ? "$set->name has no CRS: read it as a vector file with its crs set."
                    : "$set->name is in $set->crs, which is not supported: bring it in another.",
                'crs',
            );
    }

    /**
     * @param  array<string, mixed>  $geometry
     * @param  array{float, float, float, float}  $box  grows with what is met
     * @return array<string, mixed> in longitude and latitude
     */
    private static function placed(array $geometry, Projection $from, array &$box, string $name): array
    {
        return Geometry::moved($geometry, function (float $px, float $py) use ($from, &$box, $name): array {
            [$x, $y] = $from->inverse($px, $py);
            if (! is_finite($x) || ! is_finite($y) || $y > 90.0 || $y < -90.0) {
                throw Problem::input("$name has invalid coordinates ($px, $py): its CRS may be a different one.", 'crs');
            }
            $box = [min($box[0], $x), min($box[1], $y), max($box[2], $x), max($box[3], $y)];

            return [round($x, 9), round($y, 9)];
        });
    }
}
