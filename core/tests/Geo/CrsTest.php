<?php

namespace Chorometra\Core\Tests\Geo;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\Window;
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

    public function test_a_crs_that_is_not_known(): void
    {
        self::assertFalse(Crs::knows(2154));
        self::assertNull(Crs::toGeographic(2154, 0.0, 0.0));
        self::assertNull(Crs::fromGeographic(null, 0.0, 0.0));
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
