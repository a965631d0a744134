<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Correct\Terrain;
use Chorometra\Core\Engine\Context;
use Chorometra\Core\Engine\Rows;
use Chorometra\Core\Tests\TestCase;

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
            [$light, $tangent] = Terrain::light(self::plane(5, 5, $slope, $aspect), new Rows(5, 3, 1, 1, 1), self::grid(5, 5), 50.0, 150.0);
            self::assertEqualsWithDelta($expected, $light[7], 1e-6, "$slope towards $aspect");
            self::assertEqualsWithDelta(tan(deg2rad($slope)), $tangent[7], 1e-9);
        }
    }

    public function test_horn_s_differences_on_a_rough_surface(): void
    {
        $case = self::fixture('terrain.json');
        [$light, $tangent] = Terrain::light(array_merge(...$case['heights']), new Rows(11, 9), self::grid(11, 9), 38.0, 152.0);
        self::assertClose(array_merge(...$case['light']), $light, 1e-12);
        self::assertClose(array_merge(...$case['tangent']), $tangent, 1e-12);
        // a part with its neighbours is the same
        [$part] = Terrain::light(array_merge(...array_slice($case['heights'], 3, 4)), new Rows(11, 2, 4, 1, 1), self::grid(11, 9), 38.0, 152.0);
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
        $fit = Terrain::fit($sums);
        self::assertNotNull($fit);
        self::assertClose([$case['slope'], $case['offset'], $case['offset'] / $case['slope'], $case['k'], $case['correlation']], [$fit['slope'], $fit['offset'], $fit['c'], $fit['k'], $fit['correlation']], 1e-9);
        $cosine = cos(deg2rad(40));
        [$values, $light] = [array_slice($case['values'], 0, 20), array_slice($case['cosI'], 0, 20)];
        self::assertClose($case['cosine'], Terrain::softened($values, $light, 20, $cosine, 0.0), 1e-9);
        self::assertClose($case['c'], Terrain::softened($values, $light, 20, $cosine, $fit['c']), 1e-9);
        self::assertClose($case['minnaert'], Terrain::powered($values, $light, 20, 1 / $cosine, $fit['k']), 1e-9);
        self::assertClose($case['empirical'], Terrain::levelled($values, $light, 20, $fit['slope'], $fit['offset'] - $fit['mean']), 1e-9);
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
        [$light] = Terrain::light($dem, new Rows($width, $height), self::grid($width, $height), 35.0, 140.0);
        // direct light by the cosine law and a share from the sky
        $values = array_map(fn (float $cos): float => 0.3 * (0.75 * max(0.0, $cos) + 0.25 * sin(deg2rad(35.0))), $light);
        $image = $this->image('i.tif', $width, $height, ['red' => $values, 'nir' => array_map(fn (float $value): float => 1.8 * $value, $values)], ['view:sun_elevation' => 35.0, 'view:sun_azimuth' => 140.0]);
        $elevation = $this->image('dem.tif', $width, $height, ['red' => $dem]);
        // over all that is not faintly lit
        $spread = function (string $file) use ($light): float {
            $found = array_filter(self::pixels($file), fn (float $value, int $i): bool => $light[$i] >= 0.15, ARRAY_FILTER_USE_BOTH);
            $mean = array_sum($found) / count($found);

            return sqrt(array_sum(array_map(fn (float $value): float => ($value - $mean) ** 2, $found)) / count($found)) / $mean;
        };
        $before = $spread($image);
        $after = [];
        foreach (['cosine', 'c', 'minnaert', 'empirical'] as $method) {
            $figures = $this->compute('correct.terrain', ['image' => $image, 'elevation' => $elevation], ['method' => $method], ['result' => "$this->folder/$method.tif", 'flags' => "$this->folder/flags.tif"]);
            $after[$method] = $spread("$this->folder/$method.tif");
        }
        self::assertGreaterThan(0.25, $before);
        // c is the model that made it: nothing of the relief is left; the cosine law brightens faint light too much
        self::assertLessThan(1e-3, $after['c']);
        self::assertGreaterThan(0.1, $after['cosine']);
        self::assertLessThan(0.4 * $before, $after['minnaert']);
        self::assertLessThan(1e-3, $after['empirical']);
        self::assertEqualsWithDelta(0.3 * 0.75, $figures['fit'][0]['slope'], 1e-6);
        // shade is nodata and flagged, faint light flagged
        $flags = self::pixels("$this->folder/flags.tif");
        foreach ($light as $i => $cos) {
            self::assertSame($cos <= 0 ? 3 : ($cos < 0.15 ? 2 : 1), $flags[$i]);
        }
        self::assertSame(count(array_filter($flags, fn (int $flag): bool => $flag === 3)), count(array_filter(self::pixels("$this->folder/c.tif"), is_nan(...))));
        $hashes = [];
        foreach ([1, 3] as $workers) {
            $this->compute('correct.terrain', ['image' => $image, 'elevation' => $elevation], [], ['result' => "$this->folder/w.tif"], new Context($workers, $this->folder));
            $hashes[] = md5_file("$this->folder/w.tif");
        }
        self::assertSame($hashes[0], $hashes[1]);
    }

    public function test_what_can_not_be_done(): void
    {
        $sun = ['view:sun_elevation' => 35.0, 'view:sun_azimuth' => 140.0];
        $image = $this->image('i.tif', 6, 5, ['red' => range(1, 30)], $sun);
        $run = fn (string $image, string $elevation, array $set = []) => fn () => $this->compute('correct.terrain', ['image' => $image, 'elevation' => $elevation], $set, ['result' => "$this->folder/o.tif"]);
        $flat = $this->image('flat.tif', 6, 5, ['red' => array_fill(0, 30, 5.0)]);
        $this->problem(3, 'there are too few slopes steeper than 5°', $run($image, $flat));
        $run($image, $flat, ['method' => 'cosine'])();
        self::assertClose(array_map(floatval(...), range(1, 30)), self::pixels("$this->folder/o.tif"), 1e-5, 'flat ground is as it was');
        unlink("$this->folder/o.tif");
        $this->problem(3, 'has no heights where i.tif lies', $run($image, $this->image('none.tif', 6, 5, ['red' => array_fill(0, 30, NAN)])));
        $this->problem(3, 'Bring the elevation model onto the image\'s grid first', $run($image, $this->image('small.tif', 3, 3, ['red' => range(1, 9)])));
        $this->problem(3, 'does not tell the sun azimuth', $run($this->image('plain.tif', 6, 5, ['red' => range(1, 30)]), $flat, ['sun-elevation' => 40]));
        self::assertFileDoesNotExist("$this->folder/o.tif");
    }
}
