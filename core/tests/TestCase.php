<?php

namespace Chorometra\Core\Tests;

use Chorometra\Core\Engine\Context;
use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\Files;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Window;
use Chorometra\Core\Step\Opening;
use Chorometra\Core\Step\Registry;

/** A folder of its own for each test, rasters from plain arrays, and kinds run as the command line runs them. */
abstract class TestCase extends \PHPUnit\Framework\TestCase
{
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

    /** A grid of 20 m pixels in UTM zone 32. */
    protected static function grid(int $width, int $height): Grid
    {
        return new Grid($width, $height, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632);
    }

    /**
     * Writes a raster.
     *
     * @param  list<list<float>|list<int>>  $planes  all pixels of each band
     */
    protected function raster(string $name, RasterSpec $spec, array $planes, int $workers = 1, bool $deflate = true): string
    {
        $path = "$this->folder/$name";
        $context = new Context($workers, $this->folder);
        $compute = fn (Window $window): array => ['result' => array_map(fn (array $plane): array => array_slice($plane, $window->row * $window->width, $window->pixels()), $planes)];
        (new Production(['result' => ['path' => $path, 'spec' => $spec]], $compute, $context, 1, $deflate))->run([], 'test');
        $context->clean();

        return $path;
    }

    /**
     * @param  array<string, list<float>|list<int>>  $bands  by role
     * @param  array<string, mixed>  $properties
     */
    protected function image(string $name, int $width, int $height, array $bands, array $properties = []): string
    {
        return $this->raster($name, new RasterSpec(self::grid($width, $height), array_map(fn (string $role): Band => new Band($role, $role), array_keys($bands)), properties: $properties), array_values($bands));
    }

    /**
     * @param  list<int>  $codes
     * @param  list<string>  $names
     */
    protected function classes(string $name, int $width, int $height, array $codes, array $names): string
    {
        return $this->raster($name, RasterSpec::classes(self::grid($width, $height), Legend::of($names)), [$codes]);
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

        return Runner::run($kind, Opening::call($kind, $inputs, $settings, $outputs, $context ?? new Context(2, $this->folder)));
    }

    /** @return list<float>|list<int> all pixels of a band, NaN at nodata; codes of class maps and segments */
    protected static function pixels(string|Image $image, int $band = 0, int $level = 0): array
    {
        $image = is_string($image) ? new GeoTiffImage($image) : $image;
        [$width, $height] = $image->levels()[$level];
        $spec = $image->spec();
        $bytes = $image->read($band, new Window(0, 0, $width, $height), $level);

        return $spec->content === Content::Image ? Codec::values($bytes, $spec->type, $spec->nodata) : Codec::codes($bytes, $spec->type);
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
        foreach ($expected as $i => $value) {
            if (is_nan($value)) {
                self::assertNan($found[$i], "$message [$i]");
            } else {
                self::assertEqualsWithDelta($value, $found[$i], $tolerance, "$message [$i]");
            }
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
