<?php

namespace Chorometra\Core\Tests\Geo;

use Chorometra\Core\Format\Vector\WellKnownText;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Projection;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Tests\TestCase;

/** Against PROJ 9.1.1 (fixtures/proj_points.json). */
final class CrsTest extends TestCase
{
    public function test_utm_and_web_mercator_to_a_tenth_of_a_millimetre(): void
    {
        $points = self::fixture('proj_points.json')['utm_and_web_mercator'];
        self::assertGreaterThan(10, count($points));
        foreach ($points as $point) {
            [$x, $y] = Crs::fromGeographic($point['epsg'], $point['lon'], $point['lat']) ?? [NAN, NAN];
            self::assertEqualsWithDelta($point['easting'], $x, 1e-4, $point['name']);
            self::assertEqualsWithDelta($point['northing'], $y, 1e-4, $point['name']);
            [$longitude, $latitude] = Crs::toGeographic($point['epsg'], $point['easting'], $point['northing']) ?? [NAN, NAN];
            self::assertEqualsWithDelta($point['lon'], $longitude, 1e-9, $point['name']);
            self::assertEqualsWithDelta($point['lat'], $latitude, 1e-9, $point['name']);
            if (isset($point['web_mercator_y'])) {
                [$x, $y] = Crs::fromGeographic(3857, $point['lon'], $point['lat']) ?? [NAN, NAN];
                self::assertEqualsWithDelta($point['web_mercator_x'], $x, 1e-4, $point['name']);
                self::assertEqualsWithDelta($point['web_mercator_y'], $y, 1e-4, $point['name']);
            }
        }
    }

    public function test_every_code_to_a_tenth_of_a_millimetre(): void
    {
        $codes = self::fixture('proj_grid_codes.json')['codes'];
        self::assertGreaterThan(20, count($codes));
        foreach ($codes as $epsg => $points) {
            $this->agrees(Crs::of((int) $epsg), $points, "EPSG:$epsg");
        }
        self::assertSame('ETRS89-extended / LAEA Europe', Crs::name(3035));
        self::assertSame('WGS 84 / UTM zone 33S', Crs::name(32733));
    }

    public function test_other_methods_and_datums(): void
    {
        $codes = self::fixture('proj_datums.json')['codes'];
        self::assertGreaterThan(40, count($codes));
        foreach ($codes as $epsg => $points) {
            $projection = Crs::of((int) $epsg);
            self::assertNotNull($projection, "EPSG:$epsg");
            foreach ($points as $point) {
                $place = $projection->inverse($point['x'], $point['y']);
                self::assertEqualsWithDelta($point['lat'], $place[1], 1e-9, "EPSG:$epsg");
                // the Paris meridian of 27572 is told to nine digits only
                self::assertEqualsWithDelta(0.0, fmod($place[0] - $point['lon'] + 540.0, 360.0) - 180.0, $epsg === 27572 ? 1e-8 : 1e-9, "EPSG:$epsg");
                // the height that a shift of datum gives a place is lost between two dimensions: a few millimetres on the way back
                $tolerance = Crs::datum(new Grid(1, 1, epsg: (int) $epsg))?->isWgs84() ? 1e-4 : 5e-3;
                self::assertClose([$point['x'], $point['y']], $projection->forward($point['lon'], $point['lat']), $tolerance, "EPSG:$epsg");
            }
        }
    }

    public function test_a_datum_is_told(): void
    {
        $on = fn (int $epsg): Grid => new Grid(1, 1, [0.0, 1.0, 0.0, 0.0, 0.0, -1.0], $epsg);
        self::assertSame('OSGB36, transformed to WGS 84 by EPSG:1314: right to about 2 m', Crs::datum($on(27700))?->words());
        self::assertSame('ETRS89, taken for WGS 84: right to about 1 m', Crs::datum($on(25832))?->words());
        self::assertSame('WGS 84', Crs::datum($on(32632))?->words());
        self::assertSame(['datum' => 'OSGB36, transformed to WGS 84 by EPSG:1314: right to about 2 m; WGS 84'], Crs::datums($on(27700), $on(32630)));
        self::assertSame([], Crs::datums($on(3857), $on(32630)));
        // a file with a way of its own, and one that tells no more than its ellipsoid
        $keys = fn (array $more, array $doubles): array => [
            'directory' => [1, 1, 1, 3 + intdiv(count($more), 4), 1024, 0, 1, 2, 2048, 0, 1, 32767, 2056, 0, 1, 7004, ...$more],
            'doubles' => $doubles,
            'text' => '',
        ];
        $grid = new Grid(1, 1, [10.0, 1.0, 0.0, 50.0, 0.0, -1.0], null, $keys([2062, 34736, 7, 0], [598.1, 73.7, 418.2, 0.202, 0.045, -2.455, 6.7]));
        self::assertSame(
            'a datum without a name on an ellipsoid of 6377397.155 m, transformed to WGS 84 by the file itself: by how much they differ is not published',
            Crs::datum($grid)?->words(),
        );
        self::assertClose(Crs::of(4314)?->inverse(10.0, 50.0) ?? [], Crs::ofGrid($grid)?->inverse(10.0, 50.0) ?? [], 1e-12);
        $plain = new Grid(1, 1, [10.0, 1.0, 0.0, 50.0, 0.0, -1.0], null, $keys([], []));
        self::assertClose([10.0, 50.0], Crs::ofGrid($plain)?->inverse(10.0, 50.0) ?? [], 0.0);
        self::assertStringContainsString('taken for WGS 84: by how much they differ is not published', Crs::datum($plain)?->words() ?? '');
        // as other programs write it
        $text =
            'PROJCS["British_National_Grid",GEOGCS["GCS_OSGB_1936",DATUM["D_OSGB_1936",SPHEROID["Airy_1830",6377563.396,299.3249646]],'
                .'PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",'
                    .'400000.0],PARAMETER["False_Northing",-100000.0],PARAMETER["Central_Meridian",-2.0],PARAMETER["Scale_Factor",'
                        .'0.9996012717],PARAMETER["Latitude_Of_Origin",49.0],UNIT["Meter",1.0]]';
        self::assertClose(Crs::of(27700)?->inverse(430_000.0, 310_000.0) ?? [], WellKnownText::projection($text)?->inverse(430_000.0, 310_000.0) ?? [], 1e-12);
        self::assertSame('OSGB36', WellKnownText::datum($text)?->name);
    }

    public function test_parameters_without_a_code(): void
    {
        $keys = [
            'laea sphere' => [[3075 => 10], [2057 => 6370997.0, 2059 => 0.0, 3089 => 45.0, 3088 => -100.0]],
            'lcc one parallel' => [[3075 => 9, 2056 => 7008], [3081 => 18.0, 3080 => -77.0, 3092 => 0.9998, 3082 => 250000.0, 3083 => 150000.0]],
            'lcc south' => [[3075 => 8, 2048 => 4283], [3078 => -35.0, 3079 => -15.0, 3085 => -25.0, 3084 => 135.0]],
            'tm origin' => [[3075 => 1, 2056 => 7001], [3081 => 49.0, 3080 => -2.0, 3092 => 0.9996012717, 3082 => 400000.0, 3083 => -100000.0]],
            'albers feet' => [
                [3075 => 11, 2056 => 7019, 3076 => 9003],
                [3078 => 27.5, 3079 => 35.0, 3081 => 18.0, 3080 => -100.0, 3082 => 4921250.0, 3083 => 19685000.0],
            ],
            'stere parallel south' => [[3075 => 15, 2056 => 7022], [3081 => -67.0, 3095 => 140.0, 3082 => 300000.0, 3083 => 200000.0]],
        ];
        foreach (self::fixture('proj_grid_codes.json')['definitions'] as $name => ['points' => $points]) {
            [$shorts, $doubles] = $keys[$name];
            $directory = [1, 1, 1, 2 + count($shorts) + count($doubles), 1024, 0, 1, 1, 1025, 0, 1, 1];
            foreach ($shorts as $key => $value) {
                array_push($directory, $key, 0, 1, $value);
            }
            foreach (array_keys($doubles) as $index => $key) {
                array_push($directory, $key, 34736, 1, $index);
            }
            $grid = new Grid(10, 10, [0.0, 1.0, 0.0, 0.0, 0.0, -1.0], null, ['directory' => $directory, 'doubles' => array_values($doubles), 'text' => '']);
            $this->agrees(Crs::ofGrid($grid), $points, $name);
        }
    }

    public function test_a_crs_that_is_not_known(): void
    {
        self::assertFalse(Crs::knows(27));
        self::assertNull(Crs::toGeographic(27, 0.0, 0.0));
        self::assertNull(Crs::fromGeographic(null, 0.0, 0.0));
        $this->problem(3, 'old.tif is in EPSG:1027, which is not supported: convert it to a supported one', fn () => Crs::need(1027, 'old.tif'));
        // keys that say too little
        self::assertNull(
            Crs::ofGrid(new Grid(1, 1, [0.0, 1.0, 0.0, 0.0, 0.0, -1.0], null, ['directory' => [1, 1, 0, 1, 1024, 0, 1, 1], 'doubles' => [], 'text' => ''])),
        );
    }

    public function test_places_beyond_reach_are_no_numbers(): void
    {
        self::assertNan(Crs::of(3035)?->forward(-170.0, -52.0)[0] ?? 0.0);
        self::assertNan(Crs::of(3035)?->inverse(4_321_000.0 + 3e7, 3_210_000.0)[1] ?? 0.0);
        self::assertNan(Crs::of(3995)?->forward(0.0, -90.0)[0] ?? 0.0);
    }

    /** @param  list<array{lon: float, lat: float, x: float, y: float}>  $points */
    private function agrees(?Projection $projection, array $points, string $name): void
    {
        self::assertNotNull($projection, $name);
        foreach ($points as $point) {
            self::assertClose([$point['x'], $point['y']], $projection->forward($point['lon'], $point['lat']), 1e-4, $name);
            [$longitude, $latitude] = $projection->inverse($point['x'], $point['y']);
            self::assertEqualsWithDelta($point['lat'], $latitude, 2e-9, $name);
            if (abs($point['lat']) < 90) {
                self::assertEqualsWithDelta(0.0, fmod($point['lon'] - $longitude, 360.0), 1e-8, $name);
            }
        }
    }

    public function test_a_grid_there_and_back(): void
    {
        $grid = new Grid(100, 80, [500.0, 10.0, 1.5, 900.0, 2.0, -10.0], 32632);
        [$x, $y] = $grid->toMap(12.25, 7.5);
        self::assertSame([500 + 122.5 + 11.25, 900 + 24.5 - 75.0], [$x, $y]);
        self::assertClose([12.25, 7.5], $grid->toPixel($x, $y), 1e-9);
        $part = $grid->crop(new Window(10, 5, 20, 20));
        self::assertClose($grid->toMap(14.0, 9.0), $part->toMap(4.0, 4.0), 1e-9);
        $half = $grid->resized(50, 40);
        self::assertClose($grid->toMap(100, 80), $half->toMap(50, 40), 1e-9);
        self::assertTrue($grid->matches($grid));
        self::assertFalse($grid->matches($part));
        self::assertEqualsWithDelta(103.0, $grid->pixelArea(), 1e-9);
    }
}
