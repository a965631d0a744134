<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Correct\Light\Horizon;
use Chorometra\Core\Correct\Light\LightFit;
use Chorometra\Core\Correct\TopographicCorrection;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Ellipsoid;
use Chorometra\Core\Geo\Geodesic;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SlopeLight;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use PHPUnit\Framework\Attributes\DataProvider;

/** Against hand-worked angles, and numpy's fits and Horn slopes (fixtures/terrain.json). */
final class TerrainTest extends TestCase
{
    /**
     * A plane that falls towards an azimuth.
     *
     * @return list<float>
     */
    private static function plane(int $width, int $height, float $slope, float $aspect, float $cell = 20.0): array
    {
        $out = [];
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $out[] = 500 - tan(deg2rad($slope)) * $cell * ($x * sin(deg2rad($aspect)) - $y * cos(deg2rad($aspect)));
            }
        }

        return $out;
    }

    public function test_light_on_planes_by_hand(): void
    {
        // sun zenith 40°, azimuth 150°
        foreach ([[20, 150, 0.939693], [20, 330, 0.5], [20, 60, 0.719846], [0, 0, 0.766044], [60, 330, -0.173648]] as [$slope, $aspect, $expected]) {
            [$light, $tangent] = SlopeLight::over(self::plane(5, 5, $slope, $aspect), new RowBlock(5, 3, 1, 1, 1), self::grid(5, 5), 50.0, 150.0);
            self::assertEqualsWithDelta($expected, $light[7], 1e-6, "$slope towards $aspect");
            self::assertEqualsWithDelta(tan(deg2rad($slope)), $tangent[7], 1e-9);
        }
    }

    public function test_horn_s_differences_on_a_rough_surface(): void
    {
        $case = self::fixture('terrain.json');
        [$light, $tangent] = SlopeLight::over(array_merge(...$case['heights']), new RowBlock(11, 9), self::grid(11, 9), 38.0, 152.0);
        self::assertClose(array_merge(...$case['light']), $light, 1e-12);
        self::assertClose(array_merge(...$case['tangent']), $tangent, 1e-12);
        // a part with its neighbours is the same
        [$part] = SlopeLight::over(array_merge(...array_slice($case['heights'], 3, 4)), new RowBlock(11, 2, 4, 1, 1), self::grid(11, 9), 38.0, 152.0);
        self::assertSame(array_slice($light, 44, 22), $part);
    }

    public function test_the_fit_and_the_four_methods(): void
    {
        $case = self::fixture('terrain.json');
        $sums = array_fill(0, 11, 0.0);
        foreach ($case['cosI'] as $i => $x) {
            $y = $case['values'][$i];
            foreach ([1.0, $x, $y, $x * $x, $x * $y, $y * $y, 1.0, log($x), log($y), log($x) ** 2, log($x) * log($y)] as $k => $term) {
                $sums[$k] += $term;
            }
        }
        $fit = LightFit::through($sums);
        self::assertNotNull($fit);
        self::assertClose(
            [$case['slope'], $case['offset'], $case['offset'] / $case['slope'], $case['k'], $case['correlation']],
            [$fit['slope'], $fit['offset'], $fit['c'], $fit['k'], $fit['correlation']],
            1e-9,
        );
        $cosine = cos(deg2rad(40));
        [$values, $light] = [array_slice($case['values'], 0, 20), array_slice($case['cosI'], 0, 20)];
        self::assertClose($case['cosine'], TopographicCorrection::softened($values, $light, 20, $cosine, 0.0), 1e-9);
        self::assertClose($case['c'], TopographicCorrection::softened($values, $light, 20, $cosine, $fit['c']), 1e-9);
        self::assertClose($case['minnaert'], TopographicCorrection::powered($values, $light, 20, 1 / $cosine, $fit['k']), 1e-9);
        self::assertClose($case['empirical'], TopographicCorrection::levelled($values, $light, 20, $fit['slope'], $fit['offset'] - $fit['mean']), 1e-9);
    }

    public function test_a_scene_of_slopes_comes_out_even(): void
    {
        [$width, $height] = [120, 90];
        $dem = [];
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $dem[] = 200 + 90 * sin($x / 9) * cos($y / 7) + 40 * sin(($x + $y) / 5);
            }
        }
        [$light] = SlopeLight::over($dem, new RowBlock($width, $height), self::grid($width, $height), 35.0, 140.0);
        // direct light by the cosine law and a share from the sky
        $values = array_map(fn (float $cos): float => 0.3 * (0.75 * max(0.0, $cos) + 0.25 * sin(deg2rad(35.0))), $light);
        $image = $this->image(
            'i.tif',
            $width,
            $height,
            ['red' => $values, 'nir' => array_map(fn (float $value): float => 1.8 * $value, $values)],
            ['view:sun_elevation' => 35.0, 'view:sun_azimuth' => 140.0],
        );
        $elevation = $this->image('dem.tif', $width, $height, ['red' => $dem]);
        $flags = [];
        $run = function (array $settings) use ($image, $elevation, &$flags): array {
            $figures = $this->compute('correct.terrain', ['image' => $image, 'elevation' => $elevation], $settings, [
                'result' => "$this->folder/{$settings['method']}.tif",
                'flags' => "$this->folder/flags.tif",
            ]);
            $flags = self::pixels("$this->folder/flags.tif");

            return $figures;
        };
        $run(['method' => 'cosine']);
        // over all that is lit
        $spread = function (string $file) use (&$flags): float {
            $found = array_filter(self::pixels($file), fn (float $value, int $i): bool => $flags[$i] === 1, ARRAY_FILTER_USE_BOTH);
            $mean = array_sum($found) / count($found);

            return sqrt(array_sum(array_map(fn (float $value): float => ($value - $mean) ** 2, $found)) / count($found)) / $mean;
        };
        $before = $spread($image);
        $after = [];
        foreach (['cosine', 'c', 'minnaert', 'empirical'] as $method) {
            $figures = $run(['method' => $method]);
            $after[$method] = $spread("$this->folder/$method.tif");
        }
        self::assertGreaterThan(0.25, $before);
        // c is the model that made it: nothing of the relief is left; the cosine law brightens faint light too much
        self::assertLessThan(1e-3, $after['c']);
        self::assertGreaterThan(0.1, $after['cosine']);
        self::assertLessThan(0.4 * $before, $after['minnaert']);
        self::assertLessThan(1e-3, $after['empirical']);
        self::assertEqualsWithDelta(0.3 * 0.75, $figures['fit'][0]['slope'], 1e-6);
        // what is turned from the sun is nodata; faint light and cast shadow are flagged, counted and left as they are
        $made = self::pixels("$this->folder/c.tif");
        foreach ($light as $i => $cos) {
            self::assertContains($flags[$i], $cos <= 0 ? [3] : ($cos < 0.15 ? [2, 4] : [1, 4]));
            if ($flags[$i] === 2 || $flags[$i] === 4) {
                self::assertEqualsWithDelta($values[$i], $made[$i], 1e-6);
            }
        }
        $counts = array_count_values($flags);
        self::assertSame([$counts[2], $counts[3], $counts[4]], [$figures['faintlyLit'], $figures['turnedFromTheSun'], $figures['inCastShadow']]);
        self::assertSame($counts[3], count(array_filter($made, is_nan(...))));
        $run(['method' => 'c', 'faint' => 'nodata']);
        self::assertSame($counts[2] + $counts[3] + $counts[4], count(array_filter(self::pixels("$this->folder/c.tif"), is_nan(...))));
        $hashes = [];
        foreach ([1, 3] as $workers) {
            $this->compute(
                'correct.terrain',
                ['image' => $image, 'elevation' => $elevation],
                [],
                ['result' => "$this->folder/w.tif"],
                new Context($workers, $this->folder),
            );
            $hashes[] = md5_file("$this->folder/w.tif");
        }
        self::assertSame($hashes[0], $hashes[1]);
    }

    /** @return iterable<string, array{float, array{int, int}}> azimuth of the sun, and a step of the shadow in columns and rows */
    public static function suns(): iterable
    {
        foreach (
            [0 => [0, 1], 90 => [-1, 0], 180 => [0, -1], 270 => [1, 0], 45 => [-1, 1], 135 => [-1, -1], 225 => [1, -1], 315 => [1, 1]] as $azimuth => $step
        ) {
            yield "$azimuth" => [(float) $azimuth, $step];
        }
    }

    /** @param  array{int, int}  $step */
    #[DataProvider('suns')]
    public function test_a_tower_s_shadow_is_as_long_as_the_sun_is_low(float $azimuth, array $step): void
    {
        // 3 x 3 pixels of 20 m, 120 m high, the sun at 25°: 257 m
        $heights = array_map(fn (int $i): float => abs($i % 61 - 30) < 2 && abs(intdiv($i, 61) - 30) < 2 ? 120.0 : 0.0, range(0, 61 * 61 - 1));
        $dem = $this->image('dem.tif', 61, 61, ['red' => $heights]);
        $context = new Context(1, $this->folder);
        $shadow = Horizon::of(new GeoTiffImage($dem), 25.0, $azimuth, $context)->rows(0, 61);
        $length = 0;
        for ($k = 2; $k < 30; $k++) {
            $length += $shadow[(30 + $k * $step[1]) * 61 + 30 + $k * $step[0]] === "\1" ? 1 : 0;
            self::assertSame("\0", $shadow[(30 - $k * $step[1]) * 61 + 30 - $k * $step[0]], 'towards the sun all is lit');
        }
        $metres = 20 * hypot(...$step);
        // from the edge of the tower on, which the heights between pixels round off
        self::assertEqualsWithDelta(120 / tan(deg2rad(25.0)), $length * $metres, 1.6 * $metres);
        $context->clean();
    }

    public function test_slopes_and_shadows_on_other_grids(): void
    {
        // a plane that falls to the south-east, on grids that are turned, oblong, and in degrees
        foreach ([
            new Grid(9, 7, [431_000.0, 14.0, 14.0, 6_072_000.0, 14.0, -14.0], 32632),
            new Grid(9, 7, [431_000.0, 10.0, 0.0, 6_072_000.0, 0.0, -90.0], 32632),
            new Grid(9, 7, [9.0, 0.0003, 0.0, 54.8, 0.0, -0.0002], 4326),
            new Grid(9, 7, [9.0, 0.0003, 0.0001, 54.8, 0.0001, -0.0002], 4326),
        ] as $grid) {
            $dem = [];
            for ($i = 0; $i < 63; $i++) {
                [$x, $y] = $grid->toMap($i % 9 + 0.5, intdiv($i, 9) + 0.5);
                // metres on the ground, by geodesics from the corner
                [$x0, $y0] = $grid->toMap(0.5, 0.5);
                [$east, $north] =
                    $grid->epsg === 4326
                        ? [
                            ($x <=> $x0) * Geodesic::distance([$x0, $y], [$x, $y], new Ellipsoid()),
                            ($y <=> $y0) * Geodesic::distance([$x0, $y0], [$x0, $y], new Ellipsoid()),
                        ]
                        : [$x - $x0, $y - $y0];
                $dem[] = 500 - tan(deg2rad(20.0)) * ($east * sin(deg2rad(150.0)) + $north * cos(deg2rad(150.0)));
            }
            [$light, $tangent] = SlopeLight::over($dem, new RowBlock(9, 7), $grid, 50.0, 150.0);
            foreach ($light as $i => $cos) {
                self::assertEqualsWithDelta(cos(deg2rad(20.0)), $cos, 2e-5, "pixel $i: the sun stands 20° beside the slope's normal");
                self::assertEqualsWithDelta(tan(deg2rad(20.0)), $tangent[$i], 1e-4);
            }
        }
        // in degrees, a wall along a parallel: 1000 m high, the sun at 30° in the south
        $heights = array_map(fn (int $i): float => intdiv($i, 40) === 50 ? 1000.0 : 0.0, range(0, 40 * 60 - 1));
        $dem = $this->raster('wall.tif', new RasterSpec(new Grid(40, 60, [9.0, 0.001, 0.0, 54.8, 0.0, -0.001], 4326), [new Band]), [$heights]);
        $context = new Context(1, $this->folder);
        $shadow = Horizon::of(new GeoTiffImage($dem), 30.0, 180.0, $context)->rows(0, 60);
        $context->clean();
        $north = array_sum(array_map(fn (int $row): int => $shadow[$row * 40 + 20] === "\1" ? 1 : 0, range(0, 49)));
        self::assertSame((int) floor(1000 / tan(deg2rad(30.0)) / Geodesic::distance([9.0, 54.75], [9.0, 54.751], new Ellipsoid)), $north);
    }

    public function test_what_can_not_be_done(): void
    {
        $sun = ['view:sun_elevation' => 35.0, 'view:sun_azimuth' => 140.0];
        $image = $this->image('i.tif', 6, 5, ['red' => range(1, 30)], $sun);
        $run = fn (string $image, string $elevation, array $set = []) => fn () => $this->compute(
            'correct.terrain',
            ['image' => $image, 'elevation' => $elevation],
            $set,
            ['result' => "$this->folder/o.tif"],
        );
        $flat = $this->image('flat.tif', 6, 5, ['red' => array_fill(0, 30, 5.0)]);
        $this->problem(3, 'there are too few slopes steeper than 5°', $run($image, $flat));
        $run($image, $flat, ['method' => 'cosine'])();
        self::assertClose(array_map(floatval(...), range(1, 30)), self::pixels("$this->folder/o.tif"), 1e-5, 'flat ground is as it was');
        unlink("$this->folder/o.tif");
        $this->problem(3, 'has no elevations within i.tif', $run($image, $this->image('none.tif', 6, 5, ['red' => array_fill(0, 30, NAN)])));
        $this->problem(3, 'Resample one of them to the grid of the other first', $run($image, $this->image('small.tif', 3, 3, ['red' => range(1, 9)])));
        $this->problem(3, 'has no sun azimuth', $run($this->image('plain.tif', 6, 5, ['red' => range(1, 30)]), $flat, ['sun-elevation' => 40]));
        self::assertFileDoesNotExist("$this->folder/o.tif");
    }
}
