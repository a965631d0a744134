<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\Deflate;
use Chorometra\Core\Format\IsaL;
use Chorometra\Core\Tests\TestCase;

/** Against PHP's zlib, both ways. */
final class DeflateTest extends TestCase
{
    public function test_what_one_packs_the_other_unpacks(): void
    {
        self::assertTrue(Deflate::isFast() || php_uname('m') !== 'x86_64', 'libdeflate and ISA-L are there: bin/setup installs them');
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(3));
        foreach (['', 'a', str_repeat('ab', 100_000), $random->getBytes(70_000), str_repeat($random->getBytes(1000), 12_000)] as $bytes) {
            $packed = Deflate::pack($bytes);
            self::assertTrue(gzuncompress($packed) === $bytes);
            self::assertTrue(Deflate::unpack((string) gzcompress($bytes, 6), strlen($bytes)) === $bytes);
            self::assertTrue(gzdecode(Deflate::gzip($bytes)) === $bytes);
            self::assertSame($packed, Deflate::pack($bytes), 'the same bytes again');
        }
    }

    public function test_what_is_broken_or_too_long_is_none(): void
    {
        $packed = Deflate::pack(str_repeat('0123456789', 1000));
        self::assertNull(Deflate::unpack($packed, 9_999));
        self::assertNotNull(Deflate::unpack($packed, 20_000));
        foreach ([substr($packed, 0, -3), 'no stream', '', substr_replace($packed, "\xFF\xFF\xFF", 12, 3)] as $broken) {
            self::assertNull(Deflate::unpack($broken, 20_000));
        }
    }

    /** Some of the library's bytes follow from the stream's address, which the kernel draws anew for each process. */
    public function test_the_stream_lies_at_one_place_in_every_process(): void
    {
        if (! IsaL::isThere()) {
            self::markTestSkipped('ISA-L is not there');
        }
        $told = 'require $argv[1]; '.IsaL::class."::pack('a'); \$stream = new ReflectionProperty(".IsaL::class."::class, 'stream');"
            ." echo FFI::cdef()->cast('uintptr_t', FFI::addr(\$stream->getValue()))->cdata;";
        $places = [];
        for ($process = 0; $process < 4; $process++) {
            $places[] = self::shell([PHP_BINARY, '-r', $told, dirname(__DIR__, 3).'/vendor/autoload.php']);
        }
        self::assertCount(1, array_unique($places), implode(', ', $places));
    }
}
