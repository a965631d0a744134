<?php

namespace Chorometra\Core\Tests\Geo;

use Chorometra\Core\Geo\Ellipsoid;
use Chorometra\Core\Geo\Geodesic;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Tests\TestCase;

/** Against geod of PROJ 9.1.1 (fixtures/proj_points.json, proj_ground.json). */
final class GroundTest extends TestCase
{
    public function test_geodesics(): void
    {
        foreach (self::fixture('proj_points.json')['geodesics'] as $line) {
            self::assertEqualsWithDelta(
                $line['metres'],
                Geodesic::distance([$line['lon1'], $line['lat1']], [$line['lon2'], $line['lat2']], new Ellipsoid()),
                1e-3,
            );
        }
        self::assertSame(0.0, Geodesic::distance([9.0, 54.0], [9.0, 54.0], new Ellipsoid));
        // nearly opposite places
        self::assertEqualsWithDelta(2.0e7, Geodesic::distance([0.0, 0.3], [179.8, -0.4], new Ellipsoid), 5e4);
    }

    public function test_areas_and_lengths_of_rings_on_the_ellipsoid(): void
    {
        foreach (self::fixture('proj_ground.json')['rings'] as $case) {
            $ground = Ground::of(new Grid(1000, 1000, $case['transform'], $case['epsg'])) ?? self::fail();
            self::assertSame($case['keeps'], [$ground->keepsAreas, $ground->keepsLengths], $case['name']);
            $within = $case['keeps'][0] ? 0.002 : 1e-6;
            self::assertEqualsWithDelta(1.0, $ground->area($case['ring']) / $case['area'], $within, $case['name']);
            self::assertEqualsWithDelta(1.0, $ground->length($case['ring']) / $case['length'], $case['keeps'][1] ? 0.002 : 1e-6, $case['name']);
            self::assertEqualsWithDelta(
                $ground->area($case['ring']),
                $ground->area(array_reverse($case['ring'])),
                1e-6 * $case['area'],
                'whichever way it runs',
            );
            [$a, $b] = [$case['ring'][0], $case['ring'][1]];
            self::assertEqualsWithDelta(1.0, $ground->distance($a, $b) / $case['first'], $case['keeps'][1] ? 0.002 : 1e-9, $case['name']);
        }
    }

    public function test_pixels_of_a_row_and_all_of_them_are_the_ring_around(): void
    {
        foreach (self::fixture('proj_ground.json')['rings'] as $case) {
            $grid = new Grid(300, 200, $case['transform'], $case['epsg']);
            $ground = Ground::of($grid) ?? self::fail();
            $sum = 0.0;
            for ($row = 0; $row < 200; $row++) {
                $next = 0;
                foreach ($ground->pieces($row) as [$col, $count, $area]) {
                    self::assertSame($next, $col);
                    $next += $count;
                    $sum += $count * $area;
                }
                self::assertSame(300, $next);
            }
            self::assertEqualsWithDelta(1.0, $sum / $ground->area([[0.0, 0.0], [300.0, 0.0], [300.0, 200.0], [0.0, 200.0]]), 1e-6, $case['name']);
        }
    }

    public function test_a_ring_around_the_pole_and_a_grid_that_lies_nowhere(): void
    {
        // the cap above 80° north, by the authalic latitude (Snyder 1987, equation 3-12)
        $ring = array_map(fn (int $k): array => [3.6 * $k, 80.0], range(0, 100));
        $ellipsoid = new Ellipsoid();
        self::assertEqualsWithDelta(
            M_PI * $ellipsoid->axis ** 2 * ($ellipsoid->q(M_PI / 2) - $ellipsoid->q(deg2rad(80.0))),
            Ground::onEllipsoid($ring, $ellipsoid),
            1e3,
        );
        self::assertNull(Ground::of(new Grid(10, 10)));
        self::assertNull(Ground::of(new Grid(10, 10, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632, controls: [[0.0, 0.0, 1.0, 1.0]])));
        // 43560 square feet of survey are an acre, 0.40468726 ha (NIST Handbook 44, appendix C, from memory)
        self::assertEqualsWithDelta(
            0.40468726,
            Ground::of(new Grid(1, 1, [6_500_000.0, 66.0, 0.0, 1_800_000.0, 0.0, -660.0], 2229))?->pixelArea(0, 0) / 1e4,
            1e-4,
        );
    }
}
