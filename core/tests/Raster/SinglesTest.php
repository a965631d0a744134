<?php

namespace Chorometra\Core\Tests\Raster;

use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

/** Numbers of 32 bits against PHP's own unpack(): every exponent, both signs, the smallest, zeros, what is no number. */
final class SinglesTest extends TestCase
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
            $before = Codec::infinite();
            $found = Codec::values($bytes, SampleType::Float32, NAN);
            self::assertSame($infinite, Codec::infinite() - $before);
            self::assertSame(md5(pack('E*', ...array_map(fn (float $value): float => is_finite($value) ? $value : NAN, $wanted))), md5(pack('E*', ...array_map(fn (float $value): float => is_finite($value) ? $value : NAN, $found))));
        }
    }
}
