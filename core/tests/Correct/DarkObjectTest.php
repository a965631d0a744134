<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

/** Against the worked example of Landsat 5 band 1 (Chander et al. 2009 for the constants, Chavez 1988 and 1996; recomputed outside the project). */
final class DarkObjectTest extends TestCase
{
    /** Counts 58 and 75 of the example among others, calibrated by its own constants. */
    private function reflectance(): string
    {
        $constants = ['radiance_gain' => (193 + 1.52) / 254, 'radiance_offset' => -1.52 - (193 + 1.52) / 254, 'solar' => 1983.0];
        $spec = new RasterSpec(
            self::grid(4, 2),
            [new Band('blue', 'blue', constants: $constants)],
            SampleType::UInt8,
            0.0,
            properties: ['view:sun_elevation' => 55.0, 'chorometra:earth_sun_distance' => 1.0128],
        );
        $this->compute(
            'correct.calibrate',
            ['image' => $this->raster('counts.tif', $spec, [[0, 58, 75, 80, 90, 100, 120, 58]])],
            [],
            ['result' => "$this->folder/toa.tif"],
        );

        return "$this->folder/toa.tif";
    }

    public function test_the_worked_example(): void
    {
        $image = $this->reflectance();
        self::assertEqualsWithDelta(0.109411971, self::pixels($image)[2], 1e-7);
        $figures = $this->compute('correct.dark-object', ['image' => $image], ['assumed' => 1], ['result' => "$this->folder/d.tif"]);
        self::assertClose([NAN, 0.01, 0.035827923], array_slice(self::pixels("$this->folder/d.tif"), 0, 3), 1e-7);
        self::assertEqualsWithDelta(0.083584, $figures['dark'][0]['dark'], 1e-6);
        $figures = $this->compute('correct.dark-object', ['image' => $image], ['assumed' => '1%', 'model' => 'cost'], ['result' => "$this->folder/c.tif"]);
        self::assertClose([NAN, 0.01, 0.041530073], array_slice(self::pixels("$this->folder/c.tif"), 0, 3), 1e-7);
        self::assertEqualsWithDelta(sin(deg2rad(55)), $figures['cosine'], 1e-12);
        self::assertSame('reflectance', (new GeoTiffImage("$this->folder/c.tif"))->spec()->bands[0]->unit);
    }

    public function test_every_band_by_its_own_dark_value_and_a_percentile(): void
    {
        $values = array_map(fn (int $i): float => (float) $i, range(0, 999));
        $image = $this->image('i.tif', 100, 10, [
            'red' => $values,
            'nir' => array_map(fn (float $value): float => 2 * $value + 7, $values),
            'thermal1' => array_map(fn (float $value): float => 280 + $value / 100, $values),
        ]);
        $figures = $this->compute('correct.dark-object', ['image' => $image], ['percentile' => 1], ['result' => "$this->folder/p.tif"]);
        // between the tenth value and the one after it
        self::assertEqualsWithDelta(9.5, $figures['dark'][0]['dark'], 0.6);
        self::assertEqualsWithDelta(26.0, $figures['dark'][1]['dark'], 1.2);
        // temperatures are left alone
        self::assertNull($figures['dark'][2]['dark']);
        self::assertClose([280.0, 280.01], array_slice(self::pixels("$this->folder/p.tif", 2), 0, 2), 1e-4);
        self::assertEqualsWithDelta(-$figures['dark'][0]['dark'], self::pixels("$this->folder/p.tif", 0)[0], 1e-4);
    }

    public function test_what_can_not_be_done(): void
    {
        $run = fn (string $image, array $set = []) => fn () => $this->compute('correct.dark-object', ['image' => $image], $set, [
            'result' => "$this->folder/o.tif",
        ]);
        self::assertStringContainsString('has the same value everywhere', $run($this->image('same.tif', 2, 2, ['red' => [1, 1, 1, 1]]))()['warning']);
        self::assertStringContainsString('is nodata everywhere', $run($this->image('none.tif', 2, 2, ['red' => [NAN, NAN, NAN, NAN]]))()['warning']);
        unlink("$this->folder/o.tif");
        $this->problem(3, 'has no sun elevation', $run($this->image('plain.tif', 2, 1, ['red' => [1, 2]]), ['model' => 'cost']));
        $counts = $this->raster('counts.tif', new RasterSpec(self::grid(2, 1), [new Band('red', 'red', unit: 'counts')], SampleType::UInt16, 0.0), [[5, 9]]);
        $this->problem(2, 'is in counts: an assumed reflectance or the cosine model needs reflectance', $run($counts, ['assumed' => 1]));
        self::assertFileDoesNotExist("$this->folder/o.tif");
        $run($counts)();
        self::assertSame([0.0, 4.0], self::pixels("$this->folder/o.tif"));
    }
}
