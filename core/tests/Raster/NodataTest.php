<?php

namespace Chorometra\Core\Tests\Raster;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Raster\WithNodata;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use PHPUnit\Framework\Attributes\DataProvider;

/** Real values stay values, whatever a step needs for nodata. */
final class NodataTest extends TestCase
{
    /** An elevation model with a third of it at 0 m, that declares no nodata. */
    private function heights(): string
    {
        $values = array_map(fn (int $i): int => $i % 100 < 34 ? 0 : $i % 400, range(0, 9_999));

        return $this->raster('heights.tif', new RasterSpec(self::grid(100, 100), [new Band], SampleType::Int16, null), [$values]);
    }

    private function area(): string
    {
        $ring = [[431_205, 6_071_795], [432_795, 6_071_795], [432_795, 6_070_205], [431_205, 6_070_205], [431_205, 6_071_795]];
        file_put_contents(
            "$this->folder/area.geojson",
            json_encode(
                [
                    'type' => 'FeatureCollection',
                    'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']],
                    'features' => [['type' => 'Feature', 'properties' => null, 'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]]]],
                ],
                JSON_THROW_ON_ERROR,
            ),
        );

        return "$this->folder/area.geojson";
    }

    public function test_zeros_stay_when_an_image_of_whole_numbers_is_moved_cut_joined_or_filled(): void
    {
        $heights = $this->heights();
        $out = "$this->folder/r.tif";
        $this->raster(
            'east.tif',
            new RasterSpec(new Grid(100, 100, [433_200.0, 20.0, 0.0, 6_072_200.0, 0.0, -20.0], 32632), [new Band()], SampleType::Int16, null),
            [array_fill(0, 10_000, 0)],
        );
        $mask = $this->classes('mask.tif', 100, 100, array_map(fn (int $i): int => $i === 4_200 ? 1 : 0, range(0, 9_999)), ['gap']);
        $all = 10_000;
        // 80 x 80 centres lie in the area
        $cases = [
            'gather.reproject' => [['image' => $heights], ['pixel-size' => 20], $all, 0],
            'gather.mosaic' => [['images:1' => $heights, 'images:2' => "$this->folder/east.tif"], [], 2 * $all, 3_100],
            'gather.subset' => [['image' => $heights, 'area' => $this->area()], [], 80 * 80, 0],
            'correct.gaps' => [['image' => $heights, 'mask' => $mask], [], $all, 0],
        ];
        foreach ($cases as $kind => [$inputs, $settings, $pixels, $outside]) {
            $figures = $this->compute($kind, $inputs, $settings, ['result' => $out]);
            self::assertSame('32767, the greatest value of Int16, which no pixel has', $figures['nodata'], $kind);
            self::assertSame(['Int16', 32767.0], [(new GeoTiffImage($out))->spec()->type->value, (new GeoTiffImage($out))->spec()->nodata], $kind);
            $found = self::pixels($out);
            self::assertSame($pixels, count(array_filter($found, fn (float $value): bool => ! is_nan($value))), $kind);
            if ($kind !== 'gather.subset') {
                self::assertSame($outside, count(array_filter($found, is_nan(...))), $kind);
            }
            self::assertContains(0.0, $found, $kind);
        }
        $kept = CallOpener::call(
            Registry::get('segment.slice'),
            ['image' => $heights],
            ['limits' => '5'],
            ['segments' => $out],
            new Context(1, $this->folder),
            $this->area(),
        )->image();
        self::assertSame(80 * 80, count(array_filter(self::pixels($kept), fn (float $value): bool => ! is_nan($value))));
    }

    /** @return iterable<string, array{SampleType, float, string}> */
    public static function texts(): iterable
    {
        foreach ([SampleType::Float32, SampleType::Float64] as $type) {
            yield "$type->value, the end of Float32 in six digits" => [$type, -3.4028234663852886e38, '-3.40282e+38'];
            yield "$type->value, the end of Float32 in nine digits" => [$type, 3.4028234663852886e38, '3.40282347e+38'];
            yield "$type->value, whole" => [$type, -9999.0, '-9999'];
        }
        yield 'the end of Float64' => [SampleType::Float64, -PHP_FLOAT_MAX, '-1.79769e+308'];
        yield 'nearest in Float32' => [SampleType::Float32, -9999.900390625, '-9999.9'];
    }

    #[DataProvider('texts')]
    public function test_the_text_of_nodata_is_compared_in_the_type_of_the_samples(SampleType $type, float $nodata, string $text): void
    {
        $path = $this->raster('i.tif', new RasterSpec(self::grid(3, 1), [new Band], $type, $nodata), [[1.5, NAN, 2.5]]);
        $written = json_encode($nodata, JSON_THROW_ON_ERROR)."\0";
        $bytes = (string) file_get_contents($path);
        self::assertSame(1, substr_count($bytes, $written));
        file_put_contents($path, str_replace($written, str_pad($text, strlen($written), "\0"), $bytes));
        @unlink("$path.json");
        self::assertClose([1.5, NAN, 2.5], self::pixels($path), 0.0);
    }

    /** @return iterable<string, array{SampleType, list<int>, float|null, SampleType, float}> */
    public static function choices(): iterable
    {
        yield 'the top is unused' => [SampleType::UInt8, [0, 7, 254], null, SampleType::UInt8, 255.0];
        yield 'the bottom is unused' => [SampleType::UInt16, [1, 9, 65535], null, SampleType::UInt16, 0.0];
        yield 'signed' => [SampleType::Int16, [-32767, 32767], null, SampleType::Int16, -32768.0];
        yield 'both are used' => [SampleType::UInt8, [0, 9, 255], null, SampleType::Float32, NAN];
        yield 'both are used, many digits' => [SampleType::UInt32, [0, 16777217, 4294967295], null, SampleType::Float64, NAN];
        yield 'declared' => [SampleType::UInt8, [0, 9, 255], 9.0, SampleType::UInt8, 9.0];
        yield 'declared, beyond the type' => [SampleType::UInt8, [0, 9, 200], -9999.0, SampleType::UInt8, 255.0];
    }

    /** @param  list<int>  $values */
    #[DataProvider('choices')]
    public function test_which_value_stands_for_nodata(SampleType $type, array $values, ?float $declared, SampleType $expected, float $nodata): void
    {
        $path = $this->raster('i.tif', new RasterSpec(self::grid(count($values), 1), [new Band], $type, $declared), [$values]);
        $image = WithNodata::of(new GeoTiffImage($path), new Context(1));
        self::assertSame($expected, $image->spec()->type);
        self::assertClose([$nodata], [$image->spec()->nodata ?? 0.0], 0.0);
        self::assertClose(array_map(fn (int $value): float => (float) $value === $declared ? NAN : (float) $value, $values), self::pixels($image), 0.0);
    }

    public function test_what_is_interpolated_onto_nodata_is_no_hole(): void
    {
        $step = array_map(fn (int $i): int => $i % 40 < 20 ? 1 : 1000, range(0, 1_599));
        $signs = array_map(fn (int $i): int => $i % 2 ? 1 : -1, range(0, 1_599));
        $half = new Grid(77, 77, [431_015.0, 10.0, 0.0, 6_071_985.0, 0.0, -10.0], 32632);
        foreach (
            [
                [$step, SampleType::UInt16, Resampling::Cubic],
                [$signs, SampleType::Int16, Resampling::Bilinear],
                [$signs, SampleType::Float32, Resampling::Bilinear],
            ] as [$values, $type, $how]
        ) {
            $path = $this->raster('s.tif', new RasterSpec(self::grid(40, 40), [new Band()], $type, 0.0), [$values]);
            $warped = new Warped(new GeoTiffImage($path), $half, $how);
            $exact = $warped->values(0, new Window(0, 0, 77, 77));
            $stored = self::pixels($warped);
            self::assertSame([], array_filter($stored, is_nan(...)), $type->value);
            $touched = 0;
            foreach ($stored as $i => $value) {
                $touched += $value === ($type->isFloat() ? $exact[$i] : round($exact[$i])) ? 0 : 1;
                self::assertLessThanOrEqual($type->isFloat() ? 1e-44 : 1.0, abs($value - max($type->range()[0], $exact[$i])), $type->value);
            }
            self::assertGreaterThan(50, $touched);
        }
    }

    public function test_the_value_beside_nodata_lies_on_the_side_of_the_value(): void
    {
        $stored = fn (array $values, SampleType $type, float $nodata): array => Codec::values(Codec::encode($values, $type, $nodata), $type, null);
        self::assertSame([4.0, 6.0, 6.0, 5.0, 8.0], $stored([4.6, 5.4, 5.0, NAN, 8.0], SampleType::UInt8, 5.0));
        self::assertSame([1.0, 1.0, 0.0], $stored([-3.0, 0.2, NAN], SampleType::UInt8, 0.0));
        self::assertSame([254.0, 254.0, 255.0], $stored([900.0, 254.9, NAN], SampleType::UInt8, 255.0));
        [$below, $at, $nodata] = $stored([-9999.0001, -9999.0, NAN], SampleType::Float32, -9999.0);
        self::assertSame([true, true, -9999.0], [$below < -9999.0 && $below > -9999.01, $at > -9999.0 && $at < -9998.99, $nodata]);
    }

    public function test_means_and_commonest_codes_of_what_lies_under_the_pixel(): void
    {
        $path = $this->image('m.tif', 4, 4, ['red' => array_map(floatval(...), range(0, 15))]);
        // finer pixels lie in one: its value, unchanged
        $fine = new Grid(16, 16, [431_000.0, 5.0, 0.0, 6_072_000.0, 0.0, -5.0], 32632);
        $found = (new Warped(new GeoTiffImage($path), $fine, Resampling::Average))->values(0, new Window(0, 0, 16, 16));
        foreach ($found as $i => $value) {
            self::assertEqualsWithDelta(4.0 * intdiv($i, 64) + intdiv($i % 16, 4), $value, 1e-9);
        }
        $codes = $this->classes('c.tif', 4, 1, [1, 2, 2, 3], ['a', 'b', 'c']);
        self::assertSame(
            [1.0, 1.0, 2.0, 2.0, 2.0, 2.0, 3.0, 3.0],
            (new Warped(new GeoTiffImage($codes), new Grid(8, 1, [431_000.0, 10.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632), Resampling::Mode))->values(
                0,
                new Window(0, 0, 8, 1),
            ),
        );
        // pixels whose centre lies off the edge have what lies under them: the third reaches 20 m into the image
        $wide = new Grid(3, 1, [431_000.0 - 60.0, 40.0, 0.0, 6_072_000.0, 0.0, -80.0], 32632);
        $found = (new Warped(new GeoTiffImage($path), $wide, Resampling::Average))->values(0, new Window(0, 0, 3, 1));
        self::assertNan($found[0]);
        self::assertEqualsWithDelta((0 + 4 + 8 + 12) / 4, $found[1], 1e-9);
        self::assertEqualsWithDelta((1 + 2 + 5 + 6 + 9 + 10 + 13 + 14) / 8, $found[2], 1e-9);
    }
}
