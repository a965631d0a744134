<?php

namespace Chorometra\Core\Tests\Derive;

use Chorometra\Core\Derive\Terrain;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SlopeLight;
use Chorometra\Core\Tests\TestCase;

/** Planes by hand, and Horn's differences on a rough surface against numpy (fixtures/terrain.json). */
final class TerrainTest extends TestCase
{
    private static function ground(int $width, int $height): Grid
    {
        return new Grid($width, $height, [430_000.0, 10.0, 0.0, 6_060_000.0, 0.0, -10.0], 32632);
    }

    /** @return list<float> a plane that falls towards an aspect */
    private static function plane(int $width, int $height, float $slope, float $aspect): array
    {
        $heights = [];
        for ($row = 0; $row < $height; $row++) {
            for ($col = 0; $col < $width; $col++) {
                $along = 10 * $col * sin(deg2rad($aspect)) - 10 * $row * cos(deg2rad($aspect));
                $heights[] = 500 - tan(deg2rad($slope)) * $along;
            }
        }

        return $heights;
    }

    public function test_planes_by_hand(): void
    {
        foreach ([[10.0, 0.0], [30.0, 90.0], [45.0, 210.0], [5.0, 335.5]] as [$slope, $aspect]) {
            $given = [self::plane(6, 5, $slope, $aspect), new RowBlock(6, 5), self::ground(6, 5)];
            [$slopes, $aspects, $shades, $lights] = Terrain::measures(...[...$given, ['slope', 'aspect', 'shade', 'light'], [120.0, 300.0], 40.0, false]);
            // cos i = cos z cos s + sin z sin s cos(a - aspect)
            $cosine = fn (float $azimuth): float => cos(deg2rad(50)) * cos(deg2rad($slope))
                + sin(deg2rad(50)) * sin(deg2rad($slope)) * cos(deg2rad($azimuth - $aspect));
            self::assertClose(array_fill(0, 30, $slope), $slopes, 1e-9);
            self::assertClose(array_fill(0, 30, 0.0), array_map(fn (float $one): float => sin(deg2rad($one - $aspect)), $aspects), 1e-9);
            self::assertClose(array_fill(0, 30, 1.0), array_map(fn (float $one): float => cos(deg2rad($one - $aspect)), $aspects), 1e-9);
            self::assertClose(array_fill(0, 30, $cosine(120.0)), $lights, 1e-9);
            self::assertClose(array_fill(0, 30, (max(0, $cosine(120.0)) + max(0, $cosine(300.0))) / 2), $shades, 1e-9);
            [$percent] = Terrain::measures(...[...$given, ['slope'], [315.0], 45.0, true]);
            self::assertClose(array_fill(0, 30, 100 * tan(deg2rad($slope))), $percent, 1e-9);
        }
        [$level] = Terrain::measures(self::plane(3, 3, 0.0, 0.0), new RowBlock(3, 3), self::ground(3, 3), ['aspect'], [315.0], 45.0, false);
        self::assertNan($level[4]);
    }

    public function test_a_rough_surface_is_the_same_as_for_the_light_on_slopes(): void
    {
        $heights = array_merge(...self::fixture('terrain.json')['heights']);
        [$light, $tangent] = SlopeLight::over($heights, new RowBlock(11, 9), self::ground(11, 9), 38.0, 152.0);
        [$mine, $slopes] = Terrain::measures($heights, new RowBlock(11, 9), self::ground(11, 9), ['light', 'slope'], [152.0], 38.0, true);
        self::assertClose($light, $mine, 1e-12);
        self::assertClose(array_map(fn (float $one): float => 100 * $one, $tangent), $slopes, 1e-9);
    }

    public function test_what_can_not_be_done(): void
    {
        $call = fn (string $image, array $settings = []): \Closure => fn () => $this->compute(
            'derive.terrain',
            ['elevation' => $image],
            $settings,
            ['result' => "$this->folder/x.tif"],
        );
        $two = $this->image('two.tif', 2, 2, ['red' => [1.0, 2.0, 3.0, 4.0], 'nir' => [1.0, 2.0, 3.0, 4.0]]);
        self::assertSame('elevation', $this->problem(3, 'has several bands', $call($two))->about);
        $one = $this->image('one.tif', 2, 2, ['pan' => [1.0, 2.0, 3.0, 4.0]]);
        self::assertSame('directions', $this->problem(2, 'The direction 400 is out of range', $call($one, ['directions' => [400]]))->about);
    }
}
