<?php

namespace Chorometra\Core\Tests\Raster;

use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Infinite;

/** Samples both ways against the plain way: numbers of 32 bits by PHP's own unpack(), whole samples one by one. */
final class SamplesTest extends TestCase
{
    public function test_every_kind_of_number_is_read_to_the_bit(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(9));
        $words = [0, 0x80000000, 1, 0x80000001, 0x007FFFFF, 0x00800000, 0x7F7FFFFF, 0xFF7FFFFF, 0x7F800000, 0xFF800000, 0x7FC00000, 0xFFC00001];
        for ($exponent = 0; $exponent < 255; $exponent++) {
            foreach ([0, 1, 0x400000, 0x7FFFFF, $random->getInt(0, 0x7FFFFF)] as $mantissa) {
                array_push($words, ($exponent << 23) | $mantissa, (1 << 31) | ($exponent << 23) | $mantissa);
            }
        }
        for ($i = 0; $i < 20_001; $i++) {
            $words[] = $random->getInt(0, 0xFFFFFFFF);
        }
        foreach ([count($words), count($words) - 1, 3, 1, 0] as $count) {
            $bytes = pack('V*', ...array_slice($words, 0, $count));
            $wanted = $count === 0 ? [] : array_values((array) unpack('g*', $bytes));
            $infinite = count(array_filter($wanted, fn (float $value): bool => is_infinite($value)));
            $before = Infinite::seen();
            $found = Codec::values($bytes, SampleType::Float32, NAN);
            self::assertSame($infinite, Infinite::seen() - $before);
            self::assertSame(
                md5(pack('E*', ...array_map(fn (float $value): float => is_finite($value) ? $value : NAN, $wanted))),
                md5(pack('E*', ...array_map(fn (float $value): float => is_finite($value) ? $value : NAN, $found))),
            );
        }
    }

    public function test_values_are_rounded_kept_within_the_range_and_off_nodata(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(5));
        foreach ([SampleType::UInt8, SampleType::Int8, SampleType::UInt16, SampleType::Int16] as $type) {
            [$least, $greatest] = $type->range();
            $values = [NAN, INF, -INF, -0.0, 0.49999999999999994, -0.49999999999999994];
            foreach ([-6, -5, -1, 0, 1, 6, 7, (int) $least, (int) $greatest] as $whole) {
                foreach ([0.0, 0.5, -0.5, 0.4999999999999, -0.4999999999999, 1e-12] as $beside) {
                    $values[] = $whole + $beside;
                }
            }
            for ($i = 0; $i < 2000; $i++) {
                $values[] = $least - 9 + ($greatest - $least + 18) * $random->getInt(0, 1 << 30) / (1 << 30);
            }
            foreach ([null, 0.0, 7.0, -5.0, $least, $greatest] as $nodata) {
                if ($nodata !== null && ($nodata < $least || $nodata > $greatest)) {
                    continue;
                }
                $wanted = array_map(function (float $value) use ($nodata, $least, $greatest): int {
                    if (is_nan($value)) {
                        return (int) ($nodata ?? 0.0);
                    }
                    $code = $value > $greatest ? $greatest : ($value < $least ? $least : ($value >= 0 ? floor($value + 0.5) : ceil($value - 0.5)));
                    if ($nodata !== null && $code === $nodata) {
                        $code += $value < $nodata ? ($nodata > $least ? -1 : 1) : ($nodata < $greatest ? 1 : -1);
                    }

                    return (int) $code;
                }, $values);
                self::assertSame($wanted, Codec::codes(Codec::encode($values, $type, $nodata), $type), "$type->value ".var_export($nodata, true));
            }
        }
    }
}
