<?php

namespace Chorometra\Core\Tests\Engine;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\ClassColours;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use PHPUnit\Framework\Attributes\TestWith;

/** Rasters made in blocks are those made at once. */
final class ProductionTest extends TestCase
{
    /** Very wide rasters are computed a few rows at a time, so odd rows wait for their pair in the next block. */
    #[TestWith([150_001, 23, 10])]
    #[TestWith([300_001, 11, 5])]
    #[TestWith([600_000, 7, 2])]
    public function test_overviews_do_not_depend_on_the_blocks(int $width, int $height, int $rows): void
    {
        $value = fn (int $x, int $y): float => ($x * 31 + $y * 17) % 1009 === 0 ? NAN : (float) (($x * 7 + $y * 1013) % 4093);
        $blocks = [];
        $compute = function (Window $window) use ($value, &$blocks): array {
            $blocks[] = $window->height;
            $out = [];
            for ($y = $window->row; $y < $window->row + $window->height; $y++) {
                for ($x = 0; $x < $window->width; $x++) {
                    $out[] = $value($x, $y);
                }
            }

            return ['result' => [$out]];
        };
        $path = "$this->folder/wide.tif";
        (new Production(
            ['result' => ['path' => $path, 'spec' => new RasterSpec(self::grid($width, $height), [new Band()])]],
            $compute,
            new Context(1, $this->folder),
        ))->run([], 'test');
        self::assertSame($rows, $blocks[0], 'the blocks are as small as they were meant to be');
        $level = $compute(new Window(0, 0, $width, $height))['result'][0];
        $image = new GeoTiffImage($path);
        self::assertTrue(self::same($level, self::pixels($image)));
        foreach (array_slice($image->levels(), 1, 4, true) as $k => [$w, $h]) {
            $level = Reduce::mean($level, $width, $height);
            [$width, $height] = [($width + 1) >> 1, ($height + 1) >> 1];
            self::assertSame([$width, $height], [$w, $h]);
            self::assertTrue(self::same($level, self::pixels($image, 0, $k), 1e-3), "level $k");
        }
    }

    /**
     * @param  list<float>  $a
     * @param  list<float>  $b
     */
    private static function same(array $a, array $b, float $tolerance = 0.0): bool
    {
        foreach ($a as $i => $value) {
            if (is_nan($value) !== is_nan($b[$i]) || abs($value - $b[$i]) > $tolerance) {
                return false;
            }
        }

        return count($a) === count($b);
    }

    public function test_figures_are_those_of_all_blocks_together(): void
    {
        $values = array_map(fn (int $i): float => $i % 50 === 0 ? NAN : (float) ($i % 1000), range(0, 299 * 800 - 1));
        $spec = new RasterSpec(self::grid(299, 800), [new Band('red', 'red', unit: 'counts')], SampleType::Float32);
        $figures = (new Production(
            ['result' => ['path' => "$this->folder/f.tif", 'spec' => $spec]],
            fn (Window $window): array => ['result' => [array_slice($values, $window->row * 299, $window->pixels())]],
            new Context(3, $this->folder),
        ))->run([], 'test');
        $valid = array_filter($values, fn (float $value): bool => ! is_nan($value));
        $band = $figures['result']['bands'][0];
        self::assertSame(['red', 'counts', count($valid), count($values) - count($valid)], [$band['band'], $band['unit'], $band['pixels'], $band['nodata']]);
        self::assertEqualsWithDelta(array_sum($valid) / count($valid), $band['mean'], 1e-9);
        self::assertSame([1.0, 999.0], [(float) $band['minimum'], (float) $band['maximum']]);
    }

    public function test_class_maps_of_sixteen_bits_count_and_colour_their_classes(): void
    {
        $names = array_map(fn (int $i): string => "class no. $i", range(1, 300));
        $codes = array_map(fn (int $i): int => $i % 7 === 0 ? 65535 : $i % 301, range(0, 64 * 64 - 1));
        $path = $this->raster('many.tif', RasterSpec::classes(self::grid(64, 64), Legend::of($names)), [$codes]);
        self::assertSame($codes, self::pixels($path));
        unlink("$this->folder/many.stac.json");
        self::assertSame(ClassColours::of(['x', 'y', 'z'])[2], (new GeoTiffImage($path))->spec()->legend->classes[3]['colour'] ?? null);
    }

    public function test_a_crop_is_an_image_of_its_own(): void
    {
        $values = array_map(floatval(...), range(0, 600 * 500 - 1));
        $image = new GeoTiffImage($this->raster('c.tif', new RasterSpec(self::grid(600, 500), [new Band]), [$values]));
        $crop = new Crop($image, new Window(250, 240, 20, 30));
        self::assertSame([[20, 30]], $crop->levels());
        self::assertSame([431_000.0 + 250 * 20, 6_072_000.0 - 240 * 20], $crop->spec()->grid->toMap(0, 0));
        self::assertSame([240 * 600 + 250.0, 269 * 600 + 269.0], [self::pixels($crop)[0], self::pixels($crop)[599]]);
        // of an overview: pixels twice as large
        $half = new Crop($image, new Window(10, 20, 5, 4), 1);
        self::assertSame(40.0, $half->spec()->grid->transform[1]);
        self::assertSame(self::pixels($image, 0, 1)[20 * 300 + 10], self::pixels($half)[0]);
    }

    public function test_what_does_not_fit_on_the_disk_is_refused_before_the_work(): void
    {
        $spec = new RasterSpec(new Grid(1 << 22, 1 << 22, [0.0, 1.0, 0.0, 0.0, 0.0, -1.0], 32632), [new Band()], SampleType::Float64);
        $this->problem(
            1,
            'free some space, then run the step again',
            fn () => (new Production(
                ['result' => ['path' => "$this->folder/huge.tif", 'spec' => $spec]],
                fn (Window $window): array => throw new \LogicException('It must not begin.'),
                new Context(1, $this->folder),
            ))->run([], 'test'),
        );
    }
}
