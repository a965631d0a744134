<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Correct\Radar\SpeckleFilters;
use Chorometra\Core\Correct\Speckle;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Neighbourhood;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Against scipy (fixtures/windows.json), the worked window of sources.md, and the statistics of gamma-distributed speckle. */
final class SpeckleTest extends TestCase
{
    public function test_means_and_variances_of_windows(): void
    {
        $case = self::fixture('windows.json');
        $rows = new RowBlock(33, 21);
        [$means, $variances] = Neighbourhood::moments(Neighbourhood::padded(array_merge(...$case['image']), $rows, 2), 33, 21, 5);
        self::assertClose(array_merge(...$case['mean5']), $means, 1e-12);
        self::assertClose(array_merge(...$case['variance5']), $variances, 1e-12);
        $holes = array_map(fn (?float $value): float => $value ?? NAN, array_merge(...$case['holes']));
        $expected = array_map(fn (?float $value): float => $value ?? NAN, array_merge(...$case['holedMean3']));
        self::assertClose($expected, SpeckleFilters::filtered($holes, $rows, 'boxcar', 3, 1.0), 1e-12);
        // a part with its neighbours is the same
        $part = SpeckleFilters::filtered(array_slice($holes, 3 * 33, 8 * 33), new RowBlock(33, 6, 4, 1, 1), 'boxcar', 3, 1.0);
        self::assertClose(array_slice($expected, 4 * 33, 6 * 33), $part, 1e-12);
    }

    public function test_lee_s_worked_window(): void
    {
        $window = [12.0, 15.0, 9.0, 14.0, 20.0, 11.0, 10.0, 13.0, 16.0];
        foreach ([4 => 13.333333, 20 => 14.166667, 50 => 17.651123] as $looks => $expected) {
            self::assertEqualsWithDelta($expected, SpeckleFilters::filtered($window, new RowBlock(3, 3), 'lee', 3, 1 / $looks)[4], 1e-6);
        }
    }

    public function test_likeliest_ground_and_falling_weights_against_numpy(): void
    {
        // fixtures/speckle.json: the formulas of both papers over scipy's windows
        $case = self::fixture('speckle.json');
        $image = array_merge(...$case['image']);
        foreach ($case['results'] as ['filter' => $filter, 'size' => $size, 'looks' => $looks, 'damping' => $damping, 'values' => $values]) {
            self::assertClose(
                array_merge(...$values),
                SpeckleFilters::filtered($image, new RowBlock(29, 23), $filter, $size, 1 / $looks, $damping),
                1e-10,
                "$filter $size $looks",
            );
        }
        // nodata is left out, and stays
        $image[100] = NAN;
        foreach (['gamma-map', 'frost'] as $filter) {
            $found = SpeckleFilters::filtered($image, new RowBlock(29, 23), $filter, 5, 0.25);
            self::assertSame([100], array_keys(array_filter($found, is_nan(...))), $filter);
            $even = array_fill(0, 81, 7.0);
            self::assertClose($even, SpeckleFilters::filtered($even, new RowBlock(9, 9), $filter, 5, 0.25), 1e-12, 'even ground stays');
        }
    }

    public function test_what_is_no_power_is_refused(): void
    {
        $image = $this->image('db.tif', 4, 3, ['vv' => [-12.0, -11.0, -9.0, -14.0, -12.5, -13.0, -8.0, -9.5, -10.0, -12.0, -11.0, -13.0]]);
        $this->problem(
            3,
            'has values below 0, which no power has: if they are decibels, gather it again with the unit dB',
            fn () => $this->compute('correct.speckle', ['image' => $image], ['size' => 3], ['result' => "$this->folder/o.tif"]),
        );
        $this->compute('gather.image', ['image' => $image], ['units' => 'dB', 'roles' => 'hh'], ['result' => "$this->folder/told.tif"]);
        self::assertSame(
            ['hh', 'dB'],
            [(new GeoTiffImage("$this->folder/told.tif"))->spec()->bands[0]->role, (new GeoTiffImage("$this->folder/told.tif"))->spec()->bands[0]->unit],
        );
        $this->compute('correct.speckle', ['image' => "$this->folder/told.tif"], ['size' => 3], ['result' => "$this->folder/o.tif"]);
        self::assertEqualsWithDelta(-11.3, self::pixels("$this->folder/o.tif")[5], 1.0);
        $this->problem(
            2,
            '3 units are given for the 1 bands',
            fn () => $this->compute('gather.image', ['image' => $image], ['units' => 'dB,K,m'], ['result' => "$this->folder/x.tif"]),
        );
    }

    /** @return list<float> */
    private static function gamma(int $count, int $looks, int $seed): array
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937($seed));
        $out = [];
        for ($i = 0; $i < $count; $i++) {
            $sum = 0.0;
            for ($look = 0; $look < $looks; $look++) {
                $sum -= log($random->getInt(1, 1_000_000) / 1_000_001);
            }
            $out[] = $sum / $looks;
        }

        return $out;
    }

    public function test_even_ground_edges_and_targets(): void
    {
        $n = 160;
        $noise = self::gamma($n * $n, 4, 31);
        $rows = new RowBlock($n, $n);
        $enl = function (array $values): float {
            $mean = array_sum($values) / count($values);

            return $mean ** 2 / (array_sum(array_map(fn (float $value): float => ($value - $mean) ** 2, $values)) / count($values));
        };
        self::assertEqualsWithDelta(4.0, $enl($noise), 0.15);
        // theory: looks times pixels of the window
        self::assertEqualsWithDelta(36.0, $enl(SpeckleFilters::filtered($noise, $rows, 'boxcar', 3, 0.25)), 3.0);
        self::assertEqualsWithDelta(100.0, $enl(SpeckleFilters::filtered($noise, $rows, 'boxcar', 5, 0.25)), 12.0);
        foreach (['boxcar', 'lee', 'refined-lee'] as $filter) {
            $out = SpeckleFilters::filtered($noise, $rows, $filter, 7, 0.25);
            self::assertEqualsWithDelta(array_sum($noise), array_sum($out), 0.015 * array_sum($noise), "$filter keeps the mean");
            self::assertGreaterThan(20.0, $enl($out), $filter);
            $even = array_fill(0, 100, 3.5);
            self::assertClose($even, SpeckleFilters::filtered($even, new RowBlock(10, 10), $filter, 7, 0.25), 1e-9, $filter);
        }
        // a step from 1 to 6: the refined filter keeps it sharper than the mean does
        $step = array_map(fn (float $value, int $i): float => $value * ($i % $n < 80 ? 1 : 6), $noise, array_keys($noise));
        $error = function (array $values) use ($n): float {
            $sum = 0.0;
            for ($y = 10; $y < $n - 10; $y++) {
                for ($x = 76; $x < 84; $x++) {
                    $sum += abs($values[$y * $n + $x] - ($x < 80 ? 1 : 6));
                }
            }

            return $sum;
        };
        $errorOf = fn (string $filter): float => $error(SpeckleFilters::filtered($step, $rows, $filter, 7, 0.25));
        [$mean, $refined] = [$errorOf('boxcar'), $errorOf('refined-lee')];
        self::assertLessThan(0.65 * $mean, $refined);
        // and one bright target stays bright
        $noise[80 * $n + 80] = 200.0;
        self::assertGreaterThan(150.0, SpeckleFilters::filtered($noise, $rows, 'lee', 7, 0.25)[80 * $n + 80]);
    }

    public function test_the_refined_filter_turns_with_the_image(): void
    {
        $n = 24;
        $noise = self::gamma($n * $n, 3, 5);
        // a slanting edge
        $image = array_map(fn (float $value, int $i): float => $value * ($i % $n > intdiv($i, $n) ? 5 : 1), $noise, array_keys($noise));
        $turned = [];
        for ($y = 0; $y < $n; $y++) {
            for ($x = 0; $x < $n; $x++) {
                $turned[] = $image[$x * $n + $n - 1 - $y];
            }
        }
        $rows = new RowBlock($n, $n);
        $out = SpeckleFilters::filtered($image, $rows, 'refined-lee', 7, 0.3);
        $other = SpeckleFilters::filtered($turned, $rows, 'refined-lee', 7, 0.3);
        for ($y = 5; $y < $n - 5; $y++) {
            for ($x = 5; $x < $n - 5; $x++) {
                self::assertEqualsWithDelta($out[$x * $n + $n - 1 - $y], $other[$y * $n + $x], 1e-9);
            }
        }
    }

    public function test_decibels_are_filtered_as_power(): void
    {
        $power = self::gamma(40 * 30, 3, 4);
        $power[77] = NAN;
        $image = fn (string $name, ?string $unit, array $values): string => $this->raster(
            $name,
            new RasterSpec(self::grid(40, 30), [new Band('vv', unit: $unit)]),
            [$values],
        );
        foreach (
            [['linear', $image('linear.tif', null, $power)], ['db',
                $image('db.tif', 'dB', array_map(fn (float $one): float => 10 * log10($one), $power))]] as [$name, $path]
        ) {
            $this->compute('correct.speckle', ['image' => $path], ['filter' => 'lee', 'size' => 5, 'looks' => 3], ['result' => "$this->folder/o-$name.tif"]);
        }
        self::assertClose(
            array_map(fn (float $one): float => 10 * log10($one), self::pixels("$this->folder/o-linear.tif")),
            self::pixels("$this->folder/o-db.tif"),
            1e-4,
        );
        self::assertSame('dB', (new GeoTiffImage("$this->folder/o-db.tif"))->spec()->bands[0]->unit);
    }

    public function test_looks_are_those_of_the_metadata_unless_set(): void
    {
        $run = function (array $properties, array $set): array {
            $image = $this->raster('m.tif', new RasterSpec(self::grid(20, 20), [new Band('vv')], properties: $properties), [self::gamma(400, 4, 2)]);
            $figures = $this->compute('correct.speckle', ['image' => $image], $set, ['result' => "$this->folder/m-o.tif"]);
            self::assertSame(
                [],
                array_filter(
                    array_keys((new GeoTiffImage("$this->folder/m-o.tif"))->spec()->properties),
                    fn (string $name): bool => str_starts_with($name, 'sar:looks'),
                ),
            );

            return [$figures['looks-taken'], self::pixels("$this->folder/m-o.tif")];
        };
        $four = $run([], ['looks' => 4]);
        self::assertSame($four, $run(['sar:looks_equivalent_number' => 4], []));
        self::assertSame($four, $run(['sar:looks_range' => 2, 'sar:looks_azimuth' => 2], []));
        self::assertSame(1.0, $run([], [])[0]);
        self::assertSame(1.0, $run(['sar:looks_range' => 'many'], [])[0]);
        self::assertSame(2.5, $run(['sar:looks_equivalent_number' => 4], ['looks' => 2.5])[0]);
    }

    public function test_looks_in_an_area_and_what_can_not_be_done(): void
    {
        $radar = fn (string $name, ?string $unit, ?string $part = null): string => $this->raster(
            $name,
            new RasterSpec(self::grid(120, 90), [new Band('vv', unit: $unit, part: $part)]),
            [self::gamma(120 * 90, 3, 9)],
        );
        $image = $radar('r.tif', null);
        $ring = array_map(fn (array $place): array => Crs::toGeographic(32632, 431_000.0 + 20 * $place[0], 6_072_000.0 - 20 * $place[1]) ?? [0, 0], [
            [20, 15],
            [100, 15],
            [100, 75],
            [20, 75],
            [20, 15],
        ]);
        Vectors::write("$this->folder/even.geojson", [
            ['type' => 'Feature', 'properties' => [], 'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]]],
        ]);
        $figures = $this->compute(
            'correct.speckle',
            ['image' => $image, 'area' => "$this->folder/even.geojson"],
            ['filter' => 'boxcar', 'size' => 3, 'looks' => 3],
            ['result' => "$this->folder/o.tif"],
        );
        self::assertEqualsWithDelta(3.0, $figures['looks'][0]['before'], 0.3);
        self::assertEqualsWithDelta(27.0, $figures['looks'][0]['after'], 4.0);
        // the same where the image is in decibel
        $this->compute('correct.backscatter', ['image' => $image], [], ['result' => "$this->folder/db.tif"]);
        $again = $this->compute(
            'correct.speckle',
            ['image' => "$this->folder/db.tif", 'area' => "$this->folder/even.geojson"],
            ['filter' => 'boxcar', 'size' => 3, 'looks' => 3],
            ['result' => "$this->folder/o.tif"],
        );
        self::assertClose([$figures['looks'][0]['before'], $figures['looks'][0]['after']], [$again['looks'][0]['before'], $again['looks'][0]['after']], 1e-3);
        $hashes = [];
        foreach ([1, 3] as $workers) {
            $this->compute(
                'correct.speckle',
                ['image' => $image],
                ['filter' => 'refined-lee', 'looks' => 3],
                ['result' => "$this->folder/w.tif"],
                new Context($workers, $this->folder),
            );
            $hashes[] = md5_file("$this->folder/w.tif");
        }
        self::assertSame($hashes[0], $hashes[1]);
        $out = ['result' => "$this->folder/n.tif"];
        $run = fn (string $image, array $set = []) => fn () => $this->compute('correct.speckle', ['image' => $image], $set, $out);
        $this->problem(2, 'use an odd number', $run($image, ['size' => 4]));
        $this->problem(3, 'a phase, which can\'t be averaged', $run($radar('phase.tif', 'rad', 'phase')));
        self::assertFileDoesNotExist("$this->folder/n.tif");
    }
}
