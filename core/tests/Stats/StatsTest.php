<?php

namespace Chorometra\Core\Tests\Stats;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\Percentiles;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

final class StatsTest extends TestCase
{
    public function test_moments_of_parts_merge_to_those_of_the_whole(): void
    {
        // mean 5 and deviation 2 by hand; shifted far from zero, where plain sums of squares lose all digits
        $values = array_map(fn (float $v): float => $v + 1e9, [2.0, 4.0, 4.0, 4.0, 5.0, 5.0, 7.0, 9.0]);
        $whole = Moments::of([...$values, NAN]);
        self::assertSame([8, 1, 1e9 + 5, 2.0], [$whole->count, $whole->missing, $whole->mean, $whole->deviation()]);
        $merged = Moments::of(array_slice($values, 0, 3))->merge(Moments::of([NAN]))->merge(Moments::of(array_slice($values, 3)));
        self::assertEqualsWithDelta($whole->mean, $merged->mean, 1e-6);
        self::assertEqualsWithDelta(2.0, $merged->deviation(), 1e-7);
        self::assertSame([1e9 + 2, 1e9 + 9, 1], [$merged->minimum, $merged->maximum, $merged->missing]);
        self::assertNull(Moments::of([NAN])->figures()['mean']);
    }

    public function test_otsu_against_scikit_image(): void
    {
        $data = self::fixture('h_otsu.json');
        $values = array_map(floatval(...), array_merge(...$data['image']));
        $path = $this->raster('o.tif', new RasterSpec(self::grid(24, 24), [new Band], SampleType::UInt8, null), [$values]);
        $range = (int) (max($values) - min($values));
        // one bin for each value but the last two, which share one
        $histogram = Histogram::of(new GeoTiffImage($path), 0, $range);
        self::assertSame(576, array_sum($histogram->counts));
        $limit = $histogram->otsu();
        self::assertNotNull($limit);
        // there the foreground lies above the threshold, here at or above the limit
        self::assertSame($data['foreground_pixels'], count(array_filter($values, fn (float $value): bool => $value >= $limit)));
    }

    public function test_whole_numbers_are_counted_exactly_however_many_work(): void
    {
        $values = array_map(fn (int $i): float => (float) (($i * 7919) % 1777 - 800), range(0, 300 * 600 - 1));
        foreach ([SampleType::Int16, SampleType::Float32] as $type) {
            $path = $this->raster('w.tif', new RasterSpec(self::grid(300, 600), [new Band()], $type, -800.0), [
                array_map(fn (float $value): float => $value === -800.0 ? NAN : $value, $values),
            ]);
            $one = Histogram::of(new GeoTiffImage($path), 0, 64, new Context(1));
            self::assertEquals($one, Histogram::of(new GeoTiffImage($path), 0, 64, new Context(3)));
            $valid = array_values(array_filter($values, fn (float $value): bool => $value !== -800.0));
            sort($valid);
            self::assertSame([count($valid), count($values) - count($valid), -799.0, 976.0], [$one->pixels, $one->missing, $one->minimum, $one->maximum]);
            self::assertEqualsWithDelta(array_sum($valid) / count($valid), $one->moments?->mean, 1e-9);
            self::assertSame($one->pixels, array_sum($one->counts));
            foreach ([0, 2, 50, 98, 100] as $percent) {
                $found = Percentiles::of(new GeoTiffImage($path), 0, [$percent], new Context(2))[0];
                self::assertEqualsWithDelta($valid[(int) round((count($valid) - 1) * $percent / 100)], $found, 1.0, "$percent %");
            }
            // an overview of a large image
            self::assertSame(2, Histogram::of(new GeoTiffImage($path), 0, 64, null, 50_000)->reduced);
        }
    }

    public function test_outliers_leave_a_histogram_its_bins(): void
    {
        foreach ([SampleType::Float32, SampleType::Int16] as $type) {
            $values = array_map(fn (int $i): int => 500 + $i % 100, range(0, 9_999));
            $values[17] = -9999;
            $values[23] = 32_000;
            $path = $this->raster('o.tif', new RasterSpec(self::grid(100, 100), [new Band], $type, null), [$values]);
            $histogram = Histogram::of(new GeoTiffImage($path), 0, 100, new Context(2));
            self::assertEqualsWithDelta([401.0, 698.0], [$histogram->minimum, $histogram->maximum], 2.0, $type->value);
            self::assertSame([10_000, 1, 1], [array_sum($histogram->counts), $histogram->counts[0], $histogram->counts[99]]);
            self::assertSame([-9999.0, 32_000.0], [$histogram->moments?->minimum, $histogram->moments?->maximum]);
        }
    }

    public function test_a_histogram_counts_all_pixels_but_nodata(): void
    {
        $path = $this->image('h.tif', 5, 2, ['red' => [0.0, 0.1, 0.2, 0.3, 0.4, NAN, 0.95, 1.0, 1.0, 0.5]]);
        $histogram = Histogram::of(new GeoTiffImage($path), 0, 4);
        self::assertSame([3, 2, 1, 3], $histogram->counts);
        self::assertSame([9, 1, 1], [$histogram->pixels, $histogram->missing, $histogram->reduced]);
        $flat = Histogram::of(new GeoTiffImage($this->image('f.tif', 2, 1, ['red' => [3.0, 3.0]])), 0, 8);
        self::assertSame(2, $flat->counts[0]);
        self::assertNull($flat->otsu());
    }
}
