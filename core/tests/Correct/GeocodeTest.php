<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

/** Onto the map by ground control points: against numpy's least squares, and places that are known. */
final class GeocodeTest extends TestCase
{
    /**
     * Columns in the first band and rows in the second, at pixel centres.
     *
     * @param  list<array{float, float, float, float}>|null  $controls
     */
    private function places(?array $controls, ?int $epsg = 32632, int $width = 100, int $height = 80): string
    {
        $cols = $rows = [];
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $cols[] = $x + 0.5;
                $rows[] = $y + 0.5;
            }
        }

        return $this->raster(
            'sensor.tif',
            new RasterSpec(new Grid($width, $height, epsg: $epsg, controls: $controls), [new Band('hh', 'hh'), new Band('vv', 'vv')]),
            [$cols, $rows],
        );
    }

    /**
     * What two bands hold at a place of the map.
     *
     * @return array{float, float}
     */
    private function at(string $path, float $x, float $y): array
    {
        $grid = (new GeoTiffImage($path))->spec()->grid;
        [$col, $row] = $grid->toPixel($x, $y);
        $k = (int) $row * $grid->width + (int) $col;
        [$mx, $my] = $grid->toMap(floor($col) + 0.5, floor($row) + 0.5);

        // the centre of that pixel, told beside it, is what was asked for
        self::assertEqualsWithDelta(0.0, hypot($mx - $x, $my - $y), 1e-6);

        return [self::pixels($path, 0)[$k], self::pixels($path, 1)[$k]];
    }

    public function test_polynomials_against_numpy(): void
    {
        $fixture = self::fixture('ground_control.json');
        $controls = array_map(fn (array $one): array => [$one['column'], $one['row'], $one['x'], $one['y']], $fixture['points']);
        $image = $this->places($controls);
        foreach ($fixture['fits'] as $transform => $expected) {
            // pixels of 2 m with a centre at each of the places asked for
            $figures = $this->compute(
                'correct.geocode',
                ['image' => $image],
                ['transform' => $transform, 'pixel-size' => 8, 'resampling' => 'bilinear'],
                ['result' => "$this->folder/$transform.tif", 'tie-points' => "$this->folder/$transform.csv"],
            );
            self::assertEqualsWithDelta($expected['rmse'], $figures['rmse'], 6e-5, $transform);
            self::assertSame(16, $figures['used']);
            foreach ($expected['places'] as [$x, $y, $col, $row]) {
                $grid = (new GeoTiffImage("$this->folder/$transform.tif"))->spec()->grid;
                [$c, $r] = $grid->toPixel($x, $y);
                // a straight step to the centre of the pixel that holds it
                [$mx, $my] = $grid->toMap(floor($c) + 0.5, floor($r) + 0.5);
                [$foundCol, $foundRow] = $this->at("$this->folder/$transform.tif", $mx, $my);
                self::assertEqualsWithDelta($col, $foundCol, 0.5 * hypot($mx - $x, $my - $y) / 8 + 0.01, $transform);
                self::assertEqualsWithDelta($row, $foundRow, 0.5 * hypot($mx - $x, $my - $y) / 8 + 0.01, $transform);
            }
            self::assertCount(17, file("$this->folder/$transform.csv") ?: []);
        }
    }

    public function test_the_files_own_points_and_a_look_in_place(): void
    {
        // turned by some degrees, exactly affine, in longitude and latitude
        $place = fn (float $col, float $row): array => [437_000 + 18 * $col - 5 * $row, 6_066_000 - 5 * $col - 18 * $row];
        $controls = [];
        foreach ([0.0, 50.0, 100.0] as $col) {
            foreach ([0.0, 40.0, 80.0] as $row) {
                [$longitude, $latitude] = Crs::toGeographic(32632, ...$place($col, $row)) ?? [NAN, NAN];
                $controls[] = [$col, $row, $longitude, $latitude];
            }
        }
        $image = $this->places($controls, 4326);
        // written and read again they are the same, and the grid is the affine through them
        $grid = (new GeoTiffImage($image))->spec()->grid;
        self::assertCount(9, $grid->controls ?? []);
        self::assertEqualsWithDelta($controls[5], $grid->controls[5] ?? [], 1e-12);
        [$longitude, $latitude] = $grid->toMap(25, 20);
        self::assertEqualsWithDelta([...(Crs::toGeographic(32632, ...$place(25, 20)) ?? [])], [$longitude, $latitude], 1e-6);
        // in fewer looks they stay where they are
        $this->compute('correct.backscatter', ['image' => $image], ['columns' => 2, 'rows' => 4], ['result' => "$this->folder/looks.tif"]);
        self::assertEqualsWithDelta([25.0, 10.0], array_slice((new GeoTiffImage("$this->folder/looks.tif"))->spec()->grid->controls[4] ?? [], 0, 2), 1e-12);

        // what is only near its place is not taken for exact
        self::assertArrayNotHasKey('proj:transform', json_decode((string) file_get_contents("$this->folder/looks.stac.json"), true)['properties']);
        $this->problem(
            3,
            'Geocode it first',
            fn () => $this->compute('gather.reproject', ['image' => $image], ['crs' => 32632], ['result' => "$this->folder/map.tif"]),
        );
        $this->problem(
            3,
            'Geocode it first',
            fn () => $this->compute('gather.mosaic', ['images:1' => $image, 'images:2' => $image], [], ['result' => "$this->folder/map.tif"]),
        );
        $this->problem(
            3,
            'Geocode it first',
            fn () => $this->compute('deliver.outlines', ['image' => $image], [], ['result' => "$this->folder/map.geojson"]),
        );

        $figures = $this->compute('correct.geocode', ['image' => $image], ['transform' => 'affine', 'pixel-size' => 20], ['result' => "$this->folder/map.tif"]);
        self::assertSame('WGS 84 / UTM zone 32N', $figures['crs']);
        self::assertLessThan(0.01, $figures['rmse']);
        $map = (new GeoTiffImage("$this->folder/map.tif"))->spec()->grid;
        self::assertSame([0.0, 0.0], [$map->transform[2], $map->transform[4]]);
        self::assertNull($map->controls);
        [$c, $r] = $map->toPixel(...$place(60.3, 33.7));
        [$x, $y] = $map->toMap(floor($c) + 0.5, floor($r) + 0.5);
        // back from the map by hand: the inverse of the turn
        [$dx, $dy] = [$x - 437_000, $y - 6_066_000];
        $determinant = 18 * -18 - 5 * 5;
        self::assertEqualsWithDelta(
            [(-18 * $dx + 5 * $dy) / $determinant, (5 * $dx + 18 * $dy) / $determinant],
            $this->at("$this->folder/map.tif", $x, $y),
            0.01,
        );
    }

    public function test_a_class_map_in_the_sensors_geometry_is_not_checked_by_places(): void
    {
        $controls = [[0.0, 0.0, 8.0, 54.8], [100.0, 0.0, 8.02, 54.8], [0.0, 80.0, 8.0, 54.79], [100.0, 80.0, 8.02, 54.79]];
        $map = $this->raster(
            'classes.tif',
            new RasterSpec(
                new Grid(100, 80, epsg: 4326, controls: $controls),
                [new Band()],
                SampleType::UInt8,
                255.0,
                Content::Classes,
                new Legend([1 => ['name' => 'sand', 'colour' => '#ccbb88']]),
            ),
            [array_fill(0, 8000, 1)],
        );
        $this->problem(
            3,
            'classes.tif has ground control points only',
            fn () => $this->compute('assess.draw', ['map' => $map], [], ['result' => "$this->folder/p.geojson"]),
        );
        Vectors::write("$this->folder/p.geojson", [
            ['type' => 'Feature', 'properties' => ['label' => 'sand'], 'geometry' => ['type' => 'Point', 'coordinates' => [8.01, 54.795]]],
        ]);
        $this->problem(
            3,
            'classes.tif has ground control points only',
            fn () => $this->compute('assess.matrix', ['map' => $map, 'points' => "$this->folder/p.geojson"], [], ['result' => "$this->folder/m.csv"]),
        );
        self::assertFileDoesNotExist("$this->folder/m.csv");
    }

    public function test_points_beside_it_mistakes_and_bands_of_longitude_and_latitude(): void
    {
        $place = fn (float $col, float $row): array => [431_000 + 20 * $col, 6_072_000 - 20 * $row];
        $features = [];
        foreach ([[5, 5], [95, 8], [50, 40], [10, 70], [90, 75], [30, 20]] as $k => [$col, $row]) {
            [$x, $y] = $place($col, $row);
            $features[] = [
                'type' => 'Feature',
                'properties' => ['column' => $col, 'row' => $row],
                'geometry' => ['type' => 'Point', 'coordinates' => [$x + ($k === 2 ? 900 : 0), $y]],
            ];
        }
        $collection = fn (array $features): string => (string) json_encode([
            'type' => 'FeatureCollection',
            'crs' => ['type' => 'name', 'properties' => ['name' => 'EPSG:32632']],
            'features' => $features,
        ]);
        file_put_contents("$this->folder/p.geojson", $collection($features));
        $image = $this->places(null, null);
        $run = fn (array $set = [], array $in = []): array => $this->compute('correct.geocode', $in + ['image' => $image], $set + ['transform' => 'affine'], [
            'result' => "$this->folder/map.tif",
        ]);
        // one of them is a mistake: struck out, or found
        self::assertGreaterThan(5, $run([], ['points' => "$this->folder/p.geojson"])['rmse']);
        $figures = $run(['strike' => '3'], ['points' => "$this->folder/p.geojson"]);
        self::assertEqualsWithDelta(0.0, $figures['rmse'], 1e-4);
        self::assertSame([5, 1], [$figures['used'], $figures['struck']]);
        [$x, $y] = $place(40.5, 30.5);
        $map = (new GeoTiffImage("$this->folder/map.tif"))->spec()->grid;
        [$c, $r] = $map->toPixel($x, $y);
        self::assertEqualsWithDelta(
            [40.5, 30.5],
            [
                self::pixels("$this->folder/map.tif", 0)[(int) $r * $map->width + (int) $c],
                self::pixels("$this->folder/map.tif", 1)[(int) $r * $map->width + (int) $c],
            ],
            0.51,
        );

        // swaths that tell longitude and latitude of each pixel
        $planes = [[], [], []];
        for ($row = 0; $row < 30; $row++) {
            for ($col = 0; $col < 40; $col++) {
                [$longitude, $latitude] = Crs::toGeographic(32632, ...$place($col + 0.5, $row + 0.5)) ?? [NAN, NAN];
                $planes[0][] = $col + 100.0 * $row;
                $planes[1][] = $longitude;
                $planes[2][] = $latitude;
            }
        }
        $swath = $this->raster(
            'swath.tif',
            new RasterSpec(new Grid(40, 30), [new Band('red', 'red'), new Band(name: 'longitude'), new Band(name: 'latitude')], SampleType::Float64),
            $planes,
        );
        $figures = $run(['longitude' => '2', 'latitude' => '3', 'pixel-size' => 20, 'resampling' => 'nearest'], ['image' => $swath]);
        self::assertGreaterThan(300, $figures['used']);
        $map = (new GeoTiffImage("$this->folder/map.tif"))->spec()->grid;
        [$c, $r] = $map->toPixel(...$place(12.5, 17.5));
        self::assertEqualsWithDelta(12 + 1700, self::pixels("$this->folder/map.tif")[(int) $r * $map->width + (int) $c], 1e-3);

        // what can't be
        $this->problem(3, 'were expected', fn () => $run(['longitude' => '1', 'latitude' => '3'], ['image' => $swath]));
        $this->problem(3, 'contains no ground control points', fn () => $run());
        file_put_contents("$this->folder/few.geojson", $collection(array_slice($features, 0, 2)));
        $this->problem(3, 'are too few, or nearly on one line', fn () => $run([], ['points' => "$this->folder/few.geojson"]));
        $this->problem(3, 'too few for the transform cubic', fn () => $run(['transform' => 'cubic'], ['points' => "$this->folder/p.geojson"]));
        file_put_contents("$this->folder/bad.geojson", $collection([['properties' => ['column' => 1]] + $features[0]]));
        $this->problem(3, 'Feature 1 of bad.geojson is no ground control point', fn () => $run([], ['points' => "$this->folder/bad.geojson"]));
    }

    public function test_control_points_that_make_no_sense_are_no_georeference(): void
    {
        $plain = [0.0, 1.0, 0.0, 0.0, 0.0, 1.0];
        foreach ([
            'not numbers' => array_fill(0, 4, [NAN, 1.0, 2.0, INF]),
            'in one line' => [[0.0, 0.0, 431_000.0, 6_072_000.0], [1.0, 1.0, 431_020.0, 6_071_980.0], [2.0, 2.0, 431_040.0, 6_071_960.0]],
            'beyond all bounds' => [[0.0, 0.0, 1e308, -1e308], [50.0, 0.0, -1e308, 1e308], [0.0, 50.0, 1e308, 1e308]],
        ] as $what => $controls) {
            $grid = (new GeoTiffImage($this->places($controls)))->spec()->grid;
            self::assertSame($plain, $grid->transform, $what);
        }
        $this->problem(
            3,
            'are too few, or nearly on one line',
            fn () => $this->compute(
                'correct.geocode',
                ['image' => $this->places([[0.0, 0.0, 431_000.0, 6_072_000.0], [1.0, 1.0, 431_020.0, 6_071_980.0], [2.0, 2.0, 431_040.0, 6_071_960.0]])],
                ['transform' => 'affine'],
                ['result' => "$this->folder/map.tif"],
            ),
        );
    }
}
