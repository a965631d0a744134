<?php

namespace Chorometra\Core\Tests;

use PHPUnit\Framework\Attributes\DataProvider;

/** The JIT must not change a single bit: the same random input with it on and off. Some of PHP's modes do (fixtures/jit). */
final class JitTest extends TestCase
{
    private const COMMON = [
        '-d',
        'opcache.enable_cli=1',
        '-d',
        'opcache.jit_buffer_size=128M',
        '-d',
        'opcache.file_update_protection=0',
        '-d',
        'memory_limit=1G',
    ];

    /** @return iterable<string, array{string}> */
    public static function programs(): iterable
    {
        yield 'our kernels' => [__DIR__.'/jit/kernels.php'];
        foreach (glob(__DIR__.'/fixtures/jit/*.php') ?: [] as $program) {
            yield basename($program) => [$program];
        }
    }

    #[DataProvider('programs')]
    public function test_the_mode_in_force_computes_what_plain_php_does(string $program): void
    {
        $mode = (string) ini_get('opcache.jit');
        self::assertSame('1052', $mode, 'tests run in the mode that computes right; start them with bin/test');
        $with = self::shell([PHP_BINARY, ...self::COMMON, '-d', "opcache.jit=$mode", $program]);
        self::assertNotSame('', $with);
        self::assertSame(self::shell([PHP_BINARY, ...self::COMMON, '-d', 'opcache.jit=off', $program]), $with);
    }
}
