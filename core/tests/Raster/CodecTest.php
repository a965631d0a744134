<?php

namespace Chorometra\Core\Tests\Raster;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\DataProvider;

/** Against PHP's own pack and unpack, which are slow but plain. */
final class CodecTest extends TestCase
{
    /** @return iterable<string, array{SampleType, string}> */
    public static function types(): iterable
    {
        foreach (['UInt8' => 'C*', 'Int8' => 'c*', 'UInt16' => 'v*', 'UInt32' => 'V*', 'Float32' => 'g*', 'Float64' => 'e*'] as $name => $code) {
            yield $name => [SampleType::from($name), $code];
        }
    }

    #[DataProvider('types')]
    public function test_bytes_to_values_and_back(SampleType $type, string $code): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(21));
        // lengths that are no multiples of a machine word
        foreach ([1, 2, 3, 7, 8, 9, 31, 4097, 8200] as $count) {
            $bytes = $type->isFloat()
                ? pack($code, ...array_map(fn (): float => $random->getInt(-9999, 9999) / 8, range(1, $count)))
                : $random->getBytes($count * $type->bytes());
            $plain = array_values((array) unpack($code, $bytes));
            self::assertSame(array_map(floatval(...), $plain), Codec::values($bytes, $type, null), "$count values");
            self::assertSame($bytes, Codec::encode($plain, $type, null));
            if (! $type->isFloat()) {
                self::assertSame($plain, Codec::codes($bytes, $type));
                self::assertSame($bytes, Codec::encodeCodes($plain, $type));
            }
        }
    }

    public function test_signed_sixteen_and_thirty_two_bits(): void
    {
        $values = [0, 1, -1, 32767, -32768, 1234, -4321];
        $bytes = pack('v*', ...$values);
        self::assertSame($values, Codec::codes($bytes, SampleType::Int16));
        self::assertSame(array_map(floatval(...), $values), Codec::values($bytes, SampleType::Int16, null));
        self::assertSame($bytes, Codec::encodeCodes($values, SampleType::Int16));
        $values = [0, -1, 2147483647, -2147483648, 65536];
        self::assertSame($values, Codec::codes(pack('V*', ...$values), SampleType::Int32));
        self::assertSame(pack('V*', ...$values), Codec::encodeCodes($values, SampleType::Int32));
    }

    public function test_nodata_becomes_nan_and_nan_nodata(): void
    {
        foreach (
            [
                [SampleType::UInt8, 255.0],
                [SampleType::UInt16, 0.0],
                [SampleType::Int16, -9999.0],
                [SampleType::Int8, -1.0],
                [SampleType::UInt32, 7.0],
                [SampleType::Int32, -1.0],
                [SampleType::Float32, -9999.0],
                [SampleType::Float64, 1e30],
            ] as [$type, $nodata]
        ) {
            $bytes = Codec::encode([3.0, NAN, 5.0], $type, $nodata);
            self::assertClose([3.0, NAN, 5.0], Codec::values($bytes, $type, $nodata), 0.0, $type->value);
            self::assertClose([3.0, $nodata, 5.0], Codec::values($bytes, $type, null), 0.0, $type->value);
        }
        // a nodata that the type can't hold marks nothing
        self::assertSame([0.0, 255.0], Codec::values("\x00\xff", SampleType::UInt8, -9999.0));
        self::assertSame([0.0, 255.0], Codec::values("\x00\xff", SampleType::UInt8, 0.5));
    }

    public function test_numbers_beyond_a_type_are_kept_at_its_ends(): void
    {
        self::assertSame("\x00\xff\x02\x03", Codec::encode([-5.0, 300.0, 2.4, 2.5], SampleType::UInt8, null));
        self::assertSame(pack('v*', 65535, 0), Codec::encode([1e9, -1e9], SampleType::UInt16, null));
    }

    public function test_windows_are_cut_to_the_raster(): void
    {
        self::assertEquals(new Window(0, 0, 3, 4), (new Window(-2, -1, 5, 5))->within(10, 10));
        self::assertEquals(new Window(8, 9, 2, 1), (new Window(8, 9, 5, 5))->within(10, 10));
        self::assertTrue((new Window(12, 0, 5, 5))->within(10, 10)->isEmpty());
        self::assertSame(12, (new Window(0, 0, 3, 4))->pixels());
    }

    public function test_class_maps_grow_to_sixteen_bits_and_name_what_has_no_class(): void
    {
        $few = RasterSpec::classes(self::grid(1, 1), Legend::of(['a']));
        self::assertSame([SampleType::UInt8, 255.0], [$few->type, $few->nodata]);
        $many = RasterSpec::classes(self::grid(1, 1), Legend::of(array_map(strval(...), range(1, 300))));
        self::assertSame([SampleType::UInt16, 65535.0], [$many->type, $many->nodata]);
        self::assertSame(
            ['a', 'unlabelled', 'class 9', 1, null],
            [$few->legend?->name(1), $few->legend?->name(0), $few->legend?->name(9), $few->legend?->codeOf('a'), $few->legend?->codeOf('b')],
        );
    }

    public function test_a_grid_tells_itself_in_a_clause(): void
    {
        self::assertSame('40 x 30 pixels of 20 m at 431000, 6072000 in EPSG:32632', self::grid(40, 30)->describe());
        self::assertSame('4 x 3 pixels without georeference', (new Grid(4, 3))->describe());
        self::assertSame('4 x 3 pixels of 0.000833° at 25, 55 in EPSG:4326', (new Grid(4, 3, [25.0, 0.000833, 0.0, 55.0, 0.0, -0.000833], 4326))->describe());
    }
}
