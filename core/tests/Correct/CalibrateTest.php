<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Correct\Light\Sun;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

/**
 * Worked values: Landsat 8 Data Users Handbook (USGS LSDS-1574) section 5 and Chander, Markham & Helder 2009; constants recalled
 * from memory, results computed outside the project (numpy).
 */
final class CalibrateTest extends TestCase
{
    /**
     * @param  array<string, float>  $constants
     * @param  array<string, mixed>  $properties
     */
    private function counts(float $count, string $role, array $constants, array $properties): string
    {
        return $this->raster(
            'counts.tif',
            new RasterSpec(self::grid(2, 1), [new Band($role, $role, constants: $constants)], SampleType::UInt16, 0.0, properties: $properties),
            [[$count, NAN]],
        );
    }

    public function test_reflectance_with_gains_in_reflectance(): void
    {
        $image = $this->counts(12000, 'red', ['reflectance_gain' => 2e-5, 'reflectance_offset' => -0.1], ['view:sun_elevation' => 45.0]);
        $figures = $this->compute('correct.calibrate', ['image' => $image], [], ['result' => "$this->folder/r.tif"]);
        self::assertClose([0.197989899, NAN], self::pixels("$this->folder/r.tif"), 1e-8);
        self::assertSame('reflectance', $figures['result']['bands'][0]['unit']);
        // with the sun in the zenith, set by hand
        $this->compute('correct.calibrate', ['image' => $image], ['sun-elevation' => 90], ['result' => "$this->folder/r.tif"]);
        self::assertEqualsWithDelta(0.14, self::pixels("$this->folder/r.tif")[0], 1e-8);
        self::assertSame(90.0, (new GeoTiffImage("$this->folder/r.tif"))->spec()->properties['view:sun_elevation'], 'what was given holds for later steps');
    }

    public function test_radiance_and_brightness_temperature(): void
    {
        $image = $this->counts(25000, 'thermal1', ['radiance_gain' => 3.342e-4, 'radiance_offset' => 0.1, 'k1' => 774.8853, 'k2' => 1321.0789], []);
        $this->compute('correct.calibrate', ['image' => $image], ['to' => 'radiance'], ['result' => "$this->folder/l.tif"]);
        self::assertClose([8.455, NAN], self::pixels("$this->folder/l.tif"), 1e-6);
        $this->compute('correct.calibrate', ['image' => $image], ['to' => 'brightness-temperature'], ['result' => "$this->folder/t.tif"]);
        self::assertClose([291.705575, NAN], self::pixels("$this->folder/t.tif"), 2e-5);
        // a thermal band needs no sun, whatever is asked for
        $this->compute('correct.calibrate', ['image' => $image], [], ['result' => "$this->folder/t2.tif"]);
        self::assertClose([291.705575, NAN], self::pixels("$this->folder/t2.tif"), 2e-5);
    }

    public function test_reflectance_from_radiance_gains_with_the_distance_of_the_sun(): void
    {
        // Landsat 5 TM, d = 1.0128, sun elevation 55°; Chander, Markham & Helder 2009: count, LMIN, LMAX, ESUN, radiance, reflectance
        $rows = [
            [75, -1.52, 193.0, 1983.0, 55.151181, 0.109411971],
            [32, -2.84, 365.0, 1796.0, 42.053858, 0.092115402],
            [30, -1.17, 264.0, 1536.0, 29.105315, 0.074544194],
            [90, -1.51, 221.0, 1031.0, 76.456102, 0.291733450],
            [70, -0.37, 30.2, 220.0, 7.934449, 0.141881843],
            [28, -0.15, 16.5, 83.44, 1.619882, 0.076373342],
        ];
        foreach ($rows as [$count, $least, $most, $solar, $radiance, $reflectance]) {
            $gain = ($most - $least) / 254;
            $image = $this->counts(
                $count,
                'red',
                ['radiance_gain' => $gain, 'radiance_offset' => $least - $gain, 'solar' => $solar],
                ['view:sun_elevation' => 55.0, 'chorometra:earth_sun_distance' => 1.0128],
            );
            $this->compute('correct.calibrate', ['image' => $image], [], ['result' => "$this->folder/r.tif"]);
            self::assertEqualsWithDelta($reflectance, self::pixels("$this->folder/r.tif")[0], 1e-7);
            $this->compute('correct.calibrate', ['image' => $image], ['to' => 'radiance'], ['result' => "$this->folder/l.tif"]);
            self::assertEqualsWithDelta($radiance, self::pixels("$this->folder/l.tif")[0], 1e-5);
        }
    }

    public function test_distance_of_the_sun_against_a_handbook_table(): void
    {
        // Landsat 7 handbook's table by day of year, recalled from memory
        foreach (
            [
                1 => 0.9832,
                32 => 0.9853,
                60 => 0.9909,
                91 => 0.9993,
                121 => 1.0076,
                152 => 1.014,
                196 => 1.0165,
                227 => 1.0128,
                258 => 1.0057,
                288 => 0.9972,
                319 => 0.9892,
                349 => 0.9843,
            ] as $day => $distance
        ) {
            $time = new \DateTimeImmutable('2001-01-01T12:00:00Z +'.($day - 1).' days');
            self::assertEqualsWithDelta($distance, Sun::distance($time), 4e-4, "day $day");
        }
    }

    public function test_what_is_missing_is_told(): void
    {
        $run = fn (string $image, array $settings = []) => $this->compute('correct.calibrate', ['image' => $image], $settings, [
            'result' => "$this->folder/r.tif",
        ]);
        $gains = ['reflectance_gain' => 2e-5, 'reflectance_offset' => -0.1];
        $this->problem(3, 'has no sun elevation', fn () => $run($this->counts(5, 'red', $gains, [])));
        $this->problem(3, 'below the horizon', fn () => $run($this->counts(5, 'red', $gains, ['view:sun_elevation' => -3.0])));
        $this->problem(3, 'no reflectance gain', fn () => $run($this->counts(5, 'red', [], ['view:sun_elevation' => 40.0])));
        $this->problem(
            3,
            'no thermal constants',
            fn () => $run($this->counts(5, 'red', ['radiance_gain' => 1.0, 'radiance_offset' => 0.0], []), ['to' => 'brightness-temperature']),
        );
        $this->problem(2, 'must be between', fn () => $run($this->counts(5, 'red', $gains, []), ['sun-elevation' => 95]));
        self::assertSame([], glob("$this->folder/r*"));
    }
}
