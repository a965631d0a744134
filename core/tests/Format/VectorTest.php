<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\Vector\Crossing;
use Chorometra\Core\Format\Vector\FeatureSet;
use Chorometra\Core\Format\Vector\PolygonRings;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Format\Vector\WellKnownText;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Tests\TestCase;

/** Files by pyshp, SQLite and shapely (fixtures/vector). */
final class VectorTest extends TestCase
{
    private const FOLDER = __DIR__.'/../fixtures/vector';

    /** @return list<array{geometry: array<string, mixed>|null, properties: array<string, mixed>}> */
    private static function all(FeatureSet $set): array
    {
        return iterator_to_array($set->features(), false);
    }

    /** @return array<string, int> */
    private static function counts(FeatureSet $set): array
    {
        return array_count_values(array_map(fn (array $feature): string => FeatureSet::type($feature['geometry']), self::all($set)));
    }

    public function test_a_shapefile_with_holes_attributes_and_crs(): void
    {
        $set = Vectors::read(self::FOLDER.'/areas.shp');
        self::assertSame(['shapefile', 'WGS_1984_UTM_Zone_32N'], [$set->format, $set->crs]);
        self::assertSame(['MultiPolygon' => 1, 'Polygon' => 1], self::counts($set));
        self::assertSame(['name' => 'Salt märsh', 'hectares' => 13.25, 'seen' => '2031-05-12', 'wet' => true], self::all($set)[0]['properties']);
        self::assertNull(self::all($set)[1]['properties']['hectares']);
        // the hole is in the polygon that it lies in
        self::assertSame([2, 1], array_map(count(...), self::all($set)[0]['geometry']['coordinates'] ?? []));
        $areas = self::fixture('vector/expected.json')['areas'];
        foreach (self::all($set) as $index => ['geometry' => $geometry]) {
            $polygons = ($geometry['type'] ?? '') === 'Polygon' ? [$geometry['coordinates']] : $geometry['coordinates'] ?? [];
            self::assertEqualsWithDelta(
                $areas[$index],
                array_sum(array_map(fn (array $polygon): float => -array_sum(array_map(PolygonRings::area(...), $polygon)), $polygons)),
                1e-6,
            );
        }
        // on its own grid nothing moves by more than a micrometre
        $rings = iterator_to_array($set->polygonsOn(self::grid(100, 100), 'area'), false)[0];
        self::assertClose([431100.0, 6071900.0], $rings[0][0], 1e-6);
    }

    public function test_lines_with_heights_and_no_crs(): void
    {
        $set = Vectors::read(self::FOLDER.'/tracks.shp');
        self::assertNull($set->crs);
        self::assertSame('MultiLineString', self::all($set)[0]['geometry']['type'] ?? null);
        self::assertSame([[431200.0, 6071900.0], [431250.0, 6071800.0], [431300.0, 6071800.0]], self::all($set)[0]['geometry']['coordinates'][1] ?? null);
        $this->problem(3, 'tracks.shp has no CRS: read it as a vector file with its crs set.',
            fn () => iterator_to_array($set->polygonsOn(self::grid(2, 2), 'area')));
        $this->problem(
            3,
            'tracks.shp has no CRS',
            fn () => $this->compute('gather.features', ['file' => self::FOLDER.'/tracks.shp'], [], ['result' => "$this->folder/t.geojson"]),
        );
        $figures = $this->compute('gather.features', ['file' => self::FOLDER.'/tracks.shp'], ['crs' => 32632], ['result' => "$this->folder/t.geojson"]);
        self::assertSame(['MultiLineString' => 1], $figures['kinds']);
    }

    public function test_a_geopackage_with_two_layers(): void
    {
        $farms = Vectors::read(self::FOLDER.'/places.gpkg');
        self::assertSame(['GeoPackage', 'EPSG:3035'], [$farms->format, $farms->crs]);
        self::assertSame(['MultiPolygon' => 1, 'LineString' => 1, 'nothing' => 1], self::counts($farms));
        self::assertSame(['fid' => 1, 'name' => 'Upper Fold', 'cows' => 41], self::all($farms)[0]['properties']);
        self::assertEqualsWithDelta(
            self::fixture('vector/expected.json')['farm'],
            array_sum(
                array_map(
                    fn (array $polygon): float => 2 * abs(PolygonRings::area($polygon[0])) -
                        array_sum(array_map(fn (array $ring): float => abs(PolygonRings::area($ring)), $polygon)),
                    self::all($farms)[0]['geometry']['coordinates'] ?? [],
                ),
            ),
            1e-6,
        );
        // big-endian
        self::assertSame([[4255000.0, 3500000.0], [4255500.0, 3500100.0]], self::all($farms)[1]['geometry']['coordinates'] ?? null);
        $wells = Vectors::read(self::FOLDER.'/places.gpkg', 'wells');
        self::assertSame(['type' => 'Point', 'coordinates' => [8.0, 54.7]], self::all($wells)[0]['geometry'], 'heights are left out');
        $this->problem(2, 'has no layer “barns”; it has farms, wells.', fn () => Vectors::read(self::FOLDER.'/places.gpkg', 'barns'));
    }

    public function test_taken_in_as_geojson(): void
    {
        $figures = $this->compute('gather.features', ['file' => self::FOLDER.'/areas.shp'], [], ['result' => "$this->folder/a.geojson"]);
        self::assertSame([2, ['name', 'hectares', 'seen', 'wet']], [$figures['features'], $figures['fields']]);
        $set = Vectors::read("$this->folder/a.geojson");
        self::assertSame('GeoJSON', $set->format);
        [$x, $y] = Crs::fromGeographic(32632, ...self::all($set)[1]['geometry']['coordinates'][0][0]) ?? [0, 0];
        self::assertEqualsWithDelta(431800.0, $x, 1e-3);
        self::assertEqualsWithDelta(6071500.0, $y, 1e-3);
        self::assertCount(3, iterator_to_array($set->polygonsOn(new Grid(10, 10, [4_000_000.0, 20.0, 0.0, 3_500_000.0, 0.0, -20.0], 3035), 'area'), false));
    }

    public function test_well_known_text(): void
    {
        $places = self::fixture('proj_grid_codes.json');
        $texts = [
            'lcc south' => 'PROJCS["a",GEOGCS["b",DATUM["c",SPHEROID["GRS '
                .'1980",6378137,298.257222101]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],'
                    .'PROJECTION["Lambert_Conformal_Conic_2SP"],PARAMETER["latitude_of_origin",-25],PARAMETER["central_meridian",135],'
                        .'PARAMETER["standard_parallel_1",-35],PARAMETER["standard_parallel_2",-15],PARAMETER["false_easting",0],'
                            .'PARAMETER["false_northing",0],UNIT["metre",1]]',
            'albers feet' => 'PROJCS["a",GEOGCS["b",DATUM["c",SPHEROID["GRS '
                .'1980",6378137,298.257222101]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Albers"],'
                    .'PARAMETER["Standard_Parallel_1",27.5],PARAMETER["Standard_Parallel_2",35],PARAMETER["Latitude_Of_Origin",18],'
                        .'PARAMETER["Central_Meridian",-100],PARAMETER["False_Easting",4921250],PARAMETER["False_Northing",19685000],'
                            .'UNIT["Foot_US",0.3048006096012192]]',
            'stere parallel south' => 'PROJCRS["a",BASEGEOGCRS["b",DATUM["c",ELLIPSOID["International '
                .'1924",6378388,297,LENGTHUNIT["metre",1]]]],CONVERSION["d",METHOD["Polar Stereographic (variant B)"],PARAMETER["Latitude of '
                .'standard parallel",-67,ANGLEUNIT["degree",0.0174532925199433]],PARAMETER["Longitude of '
                .'origin",140,ANGLEUNIT["degree",0.0174532925199433]],PARAMETER["False easting",300000,LENGTHUNIT["metre",1]],PARAMETER["False '
                .'northing",200000,LENGTHUNIT["metre",1]]],CS[Cartesian,2],LENGTHUNIT["metre",1]]',
        ];
        foreach ($texts as $name => $text) {
            foreach ($places['definitions'][$name]['points'] as $point) {
                self::assertClose([$point['x'], $point['y']], WellKnownText::projection($text)?->forward($point['lon'], $point['lat']) ?? [], 1e-4, $name);
            }
        }
        $coded = 'PROJCS["x",GEOGCS["y",DATUM["z",SPHEROID["WGS 84",6378137,298.257223563]]],PROJECTION["Transverse_Mercator"],AUTHORITY["EPSG","32633"]]';
        self::assertSame(Crs::of(32633), WellKnownText::projection($coded));
        self::assertNull(WellKnownText::projection('PROJCS["odd",GEOGCS["y",DATUM["z",SPHEROID["s",6378137,298.2]]],PROJECTION["Robinson"]]'));
        self::assertNull(WellKnownText::projection(''));
    }

    public function test_the_ending_of_a_file_chooses_what_features_are_written_as(): void
    {
        $feature = ['geometry' => ['type' => 'Point', 'coordinates' => [8.5, 54.25]], 'properties' => ['name' => 'north']];
        foreach (Vectors::endings() as $ending) {
            Vectors::write("$this->folder/p".strtoupper($ending), [$feature]);
            self::assertSame([$feature], iterator_to_array(Vectors::read("$this->folder/p".strtoupper($ending))->features(), false));
        }
        $this->problem(2, "Features can't be written as p.txt; the file can end in .geojson", fn () => Vectors::write("$this->folder/p.txt", [$feature]));
        self::assertFileDoesNotExist("$this->folder/p.txt");
    }

    public function test_rings_that_cross_themselves_are_refused(): void
    {
        self::assertNull(Crossing::of([[0.0, 0.0], [4.0, 0.0], [4.0, 4.0], [0.0, 4.0], [0.0, 0.0]]));
        self::assertSame([2.0, 2.0], Crossing::of([[0.0, 0.0], [4.0, 4.0], [4.0, 0.0], [0.0, 4.0], [0.0, 0.0]]));
        Vectors::write("$this->folder/bow.geojson", [
            [
                'type' => 'Feature',
                'properties' => [],
                'geometry' => ['type' => 'Polygon', 'coordinates' => [[[8.0, 54.0], [8.2, 54.2], [8.2, 54.0], [8.0, 54.2], [8.0, 54.0]]]],
            ],
        ]);
        $this->problem(
            3,
            'A ring in bow.geojson crosses itself near 8.10, 54.10',
            fn () => $this->compute('gather.features', ['file' => "$this->folder/bow.geojson"], [], ['result' => "$this->folder/o.geojson"]),
        );
        self::assertFileDoesNotExist("$this->folder/o.geojson");
    }

    public function test_broken_and_hostile_files(): void
    {
        $shape = (string) file_get_contents(self::FOLDER.'/areas.shp');
        file_put_contents("$this->folder/cut.shp", substr($shape, 0, 200));
        $this->problem(3, 'cut.shp is broken: record 1 is cut short.', fn () => self::all(Vectors::read("$this->folder/cut.shp")));
        // more points than there are bytes
        file_put_contents("$this->folder/many.shp", substr_replace($shape, pack('V', 1 << 30), 100 + 8 + 40, 4));
        $this->problem(3, 'many.shp is broken: record 1', fn () => self::all(Vectors::read("$this->folder/many.shp")));
        file_put_contents("$this->folder/part.gpkg", substr((string) file_get_contents(self::FOLDER.'/places.gpkg'), 0, 6000));
        $this->problem(3, 'part.gpkg is no GeoPackage that can be read, or it is broken.', fn () => Vectors::read("$this->folder/part.gpkg"));
        file_put_contents("$this->folder/text.txt", 'hello');
        $this->problem(3, 'text.txt holds no features that can be read', fn () => Vectors::read("$this->folder/text.txt"));
        file_put_contents("$this->folder/off.geojson", '{"type":"Point","coordinates":[431000,6071000]}');
        $this->problem(
            3,
            'has invalid coordinates',
            fn () => $this->compute('gather.features', ['file' => "$this->folder/off.geojson"], [], ['result' => "$this->folder/o.geojson"]),
        );
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(4));
        for ($i = 0; $i < 150; $i++) {
            foreach (['areas.shp', 'places.gpkg'] as $name) {
                $bytes = (string) file_get_contents(self::FOLDER."/$name");
                for ($k = 0; $k < 6; $k++) {
                    $bytes[$random->getInt($name === 'areas.shp' ? 30 : 100, strlen($bytes) - 1)] = $random->getBytes(1);
                }
                file_put_contents("$this->folder/$i-$name", $bytes);
                try {
                    self::all(Vectors::read("$this->folder/$i-$name"));
                    $this->addToAssertionCount(1);
                } catch (\Chorometra\Core\Problem $problem) {
                    self::assertStringContainsString($name, $problem->getMessage());
                }
            }
        }
    }
}
