<?php

namespace Chorometra\Core\Tests;

use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Step\Report;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

/** A folder of its own for each test, rasters from plain arrays, and kinds run as the command line runs them. */
abstract class TestCase extends \PHPUnit\Framework\TestCase
{
    use MakesRasters;

    protected string $folder;

    protected function setUp(): void
    {
        $this->folder = sys_get_temp_dir().'/chorometra-test-'.bin2hex(random_bytes(6));
        mkdir($this->folder);
    }

    protected function tearDown(): void
    {
        Files::remove($this->folder);
    }

    /** @return array<string, mixed> */
    protected static function fixture(string $name): array
    {
        return json_decode((string) file_get_contents(__DIR__."/fixtures/$name"), true, 512, JSON_THROW_ON_ERROR);
    }

    /**
     * @param  array<string, string>  $inputs
     * @param  array<string, mixed>  $settings
     * @param  array<string, string>  $outputs
     * @return array<string, mixed>
     */
    protected function compute(string $kind, array $inputs, array $settings, array $outputs, ?Context $context = null): array
    {
        $kind = Registry::get($kind);

        $figures = Runner::run($kind, CallOpener::call($kind, $inputs, $settings, $outputs, $context ?? new Context(2, $this->folder)));
        self::assertSame([], Report::undeclared($kind->declaration(), $figures), 'every figure has a type');

        return $figures;
    }

    /** The problem that a call meets; its sentence must hold $part. */
    protected function problem(int $status, string $part, \Closure $call): Problem
    {
        try {
            $call();
        } catch (Problem $problem) {
            self::assertStringContainsString($part, $problem->getMessage());
            self::assertSame($status, $problem->status, $problem->getMessage());

            return $problem;
        }
        self::fail("No problem was met; one that tells “{$part}” was expected.");
    }

    /**
     * @param  list<float>  $expected
     * @param  list<float>  $found
     */
    protected static function assertClose(array $expected, array $found, float $tolerance, string $message = ''): void
    {
        self::assertSameSize($expected, $found, $message);
        self::tell($expected, $found, $message);
        foreach ($expected as $i => $value) {
            if (is_nan($value)) {
                self::assertNan($found[$i], "$message [$i]");
            } else {
                self::assertEqualsWithDelta($value, $found[$i], $tolerance, "$message [$i]");
            }
        }
    }

    /**
     * The largest deviation of a comparison, for docs/trueness.md: a line in the file that the environment names.
     *
     * @param  list<float>  $expected
     * @param  list<float>  $found
     */
    private static function tell(array $expected, array $found, string $message): void
    {
        $path = getenv('CHOROMETRA_TRUENESS');
        if ($path !== false) {
            $off = array_map(fn (float $one, float $other): float => is_nan($one) ? 0.0 : abs($one - $other), $expected, $found);
            $from = debug_backtrace(DEBUG_BACKTRACE_IGNORE_ARGS, 3)[2] ?? [];
            file_put_contents(
                $path,
                sprintf("%s::%s\t%.2e\t%s\n", preg_replace('/.*\\\\/', '', $from['class'] ?? ''), $from['function'], $off === [] ? 0.0 : max($off), $message),
                FILE_APPEND,
            );
        }
    }

    /** @param  list<string>  $command */
    protected static function shell(array $command): string
    {
        exec(implode(' ', array_map(escapeshellarg(...), $command)).' 2>/dev/null', $lines, $status);
        self::assertSame(0, $status, implode(' ', $command)."\n".implode("\n", $lines));

        return implode("\n", $lines);
    }
}
