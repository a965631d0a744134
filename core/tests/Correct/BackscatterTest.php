<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Correct\Backscatter;
use Chorometra\Core\Correct\Radar\MultiLook;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/**
 * Against the statistics of gamma-distributed speckle (psi and trigamma, as tables of them give), the definition of the decibel, and
 * the mean of −10 and −20 dB in power, −12.596373 dB.
 */
final class BackscatterTest extends TestCase
{
    public function test_averages_are_taken_in_power(): void
    {
        self::assertEqualsWithDelta(-13.010300, Backscatter::decibel([0.05], 1, 1.0)[0], 1e-6);
        self::assertEqualsWithDelta(-12.596373, Backscatter::decibel(MultiLook::average([0.1, 0.01], 1, 1, 2, 1), 1, 1.0)[0], 1e-6);
        self::assertNan(Backscatter::decibel([0.0], 1, 1.0)[0]);
        // nodata takes no part
        self::assertClose([2.0, NAN], MultiLook::average([1.0, NAN, NAN, NAN, 3.0, NAN, NAN, NAN], 2, 1, 2, 2), 1e-12);
    }

    public function test_constant_and_incidence(): void
    {
        $image = $this->raster('a.tif', new RasterSpec(self::grid(2, 1), [new Band('hh', part: 'magnitude'), new Band('hh', part: 'phase')]), [
            [2000.0, 0.0],
            [0.3, -2.0],
        ]);
        $out = "$this->folder/o.tif";
        // −83 dB: the constant of the paper's sensor. 20 log10(2000) = 66.020600
        $this->compute('correct.backscatter', ['image' => $image], ['constant' => -83], ['result' => $out]);
        self::assertClose([-16.979400, NAN], self::pixels($out), 1e-5);
        $bands = (new GeoTiffImage($out))->spec()->bands;
        self::assertCount(1, $bands);
        self::assertSame(['dB', 'hh'], [$bands[0]->unit, $bands[0]->label(1)]);
        // the looks that the metadata tell are multiplied, and nothing is made up
        $radar = [
            'sar:instrument_mode' => 'strip',
            'sar:frequency_band' => 'C',
            'sar:polarizations' => ['VV'],
            'sar:product_type' => 'SLC',
            'sar:looks_range' => 1,
            'sar:looks_azimuth' => 2,
        ];
        $told = $this->raster('t.tif', new RasterSpec(self::grid(6, 6), [new Band('vv')], properties: $radar), [array_fill(0, 36, 1.0)]);
        $this->compute('correct.backscatter', ['image' => $told], ['columns' => 3, 'rows' => 2], ['result' => $out]);
        self::assertEquals(
            ['sar:looks_range' => 3, 'sar:looks_azimuth' => 4] + $radar,
            array_intersect_key((new GeoTiffImage($out))->spec()->properties, $radar),
        );
        self::assertArrayNotHasKey('sar:looks_equivalent_number', (new GeoTiffImage($out))->spec()->properties);
        $sidecar = json_decode((string) file_get_contents("$this->folder/o.stac.json"), true);
        self::assertContains('https://stac-extensions.github.io/sar/v1.0.0/schema.json', $sidecar['stac_extensions']);
        // brightness to sigma nought: sin 30° is a half, −3.0103 dB
        $power = $this->raster('p.tif', new RasterSpec(self::grid(2, 1), [new Band('vv')]), [[0.1, 1.0]]);
        $this->compute('correct.backscatter', ['image' => $power], ['incidence' => 30], ['result' => $out]);
        self::assertClose([-13.0103, -3.0103], self::pixels($out), 1e-4);
        $this->compute('correct.backscatter', ['image' => $power], ['samples' => 'amplitude', 'scale' => 'linear'], ['result' => $out]);
        self::assertClose([0.01, 1.0], self::pixels($out), 1e-7);
    }

    public function test_looks_make_the_grain_finer(): void
    {
        [$width, $height] = [403, 402];
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(7));
        $values = [];
        for ($i = 0; $i < $width * $height; $i++) {
            $values[] = -log($random->getInt(1, 1_000_000) / 1_000_001);
        }
        $image = $this->raster('s.tif', new RasterSpec(self::grid($width, $height), [new Band('vv')]), [$values]);
        $moments = function (array $values): array {
            $mean = array_sum($values) / count($values);

            return [$mean, sqrt(array_sum(array_map(fn (float $one): float => ($one - $mean) ** 2, $values)) / count($values))];
        };
        // looks => deviation and bias of decibels
        foreach ([1 => [5.570043, -2.506816], 4 => [2.313705, -0.565350], 16 => [1.102918, -0.137130]] as $looks => [$deviation, $bias]) {
            $side = (int) sqrt($looks);
            $hashes = [];
            foreach ([1, 3] as $workers) {
                $this->compute(
                    'correct.backscatter',
                    ['image' => $image],
                    ['columns' => $side, 'rows' => $side],
                    ['result' => "$this->folder/l.tif"],
                    new Context($workers, $this->folder),
                );
                $hashes[] = md5_file("$this->folder/l.tif");
            }
            self::assertSame($hashes[0], $hashes[1]);
            [$mean, $spread] = $moments(self::pixels("$this->folder/l.tif"));
            self::assertEqualsWithDelta($deviation, $spread, 0.03, "$looks looks");
            self::assertEqualsWithDelta($bias, $mean, 0.05, "$looks looks");
        }
        $grid = (new GeoTiffImage("$this->folder/l.tif"))->spec()->grid;
        self::assertSame([100, 100], [$grid->width, $grid->height]);
        self::assertSame(self::grid(1, 1)->transform[1] * 4, $grid->transform[1]);
    }

    public function test_bad_input_is_told_at_once(): void
    {
        $run = fn (Band $band, array $set = []) => fn () => $this->compute(
            'correct.backscatter',
            ['image' => $this->raster('b.tif', new RasterSpec(self::grid(4, 3), [$band]), [array_fill(0, 12, 1.0)])],
            $set,
            ['result' => "$this->folder/n.tif"],
        );
        $this->problem(3, 'is in decibel already', $run(new Band('vv', unit: 'dB')));
        $this->problem(3, 'gather them as magnitude and phase', $run(new Band('vv', part: 'real')));
        $this->problem(2, 'has 4 x 3 pixels: blocks of 2 x 9 don\'t fit in', $run(new Band('vv'), ['columns' => 2, 'rows' => 9]));
        self::assertFileDoesNotExist("$this->folder/n.tif");
    }
}
