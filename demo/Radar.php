<?php

namespace Chorometra\Demo;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\TargetGrid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Computed;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Work\Context;

/** Radar intensity as the made-up satellite Cassavel-1 delivers it: VV and VH, four looks, in the UTM zone next door. */
final readonly class Radar implements Computed
{
    private const EPSG = 32631;

    private const LOOKS = 4;

    /** @param  list<list<float>>  $planes  at 20 m over the whole landscape */
    private function __construct(private array $planes) {}

    /** Backscatter in decibel; made up, with the usual order of such values. */
    public static function decibel(Cover $cover, bool $cross): float
    {
        [$like, $other] = match ($cover) {
            Cover::Deep => [-19.0, -27.0],
            Cover::Shallow => [-20.5, -28.0],
            Cover::Flat => [-15.0, -23.5],
            Cover::Marsh => [-11.0, -18.0],
            Cover::Pasture => [-11.5, -18.5],
            Cover::Crop => [-9.0, -16.0],
            Cover::Soil => [-12.5, -20.5],
            Cover::Wood => [-8.0, -13.5],
            Cover::Town => [-3.0, -12.0],
            Cover::Quarry => [-10.0, -18.5],
        };

        return $cross ? $other : $like;
    }

    public static function write(string $path, CatalogueScene $scene, Context $context): void
    {
        $codes = Reduce::mode(Landscape::at($scene->later)->cover, Landscape::SIZE, Landscape::SIZE);
        $planes = [];
        foreach ([false, true] as $cross) {
            $sigma = [0 => 0.0];
            foreach (Cover::cases() as $cover) {
                $sigma[$cover->value] = 10 ** (self::decibel($cover, $cross) / 10);
            }
            $values = [];
            foreach ($codes as $code) {
                $values[] = $sigma[$code];
            }
            $planes[] = self::speckled($values, $scene->seed + ($cross ? 1 : 0));
        }
        $source = new self($planes);
        $grid = TargetGrid::grid(
            OpticalScene::grid(20)->crop(
                new Window(intdiv($scene->window->col, 2), intdiv($scene->window->row, 2), intdiv($scene->window->width, 2), intdiv($scene->window->height, 2)),
            ),
            self::EPSG,
            20.0,
            'radar',
        );
        $warped = new Warped($source, $grid, Resampling::Nearest);
        $spec = new RasterSpec($grid, [new Band(), new Band()], SampleType::Float32, NAN);
        (new Production(
            ['result' => ['path' => $path, 'spec' => $spec]],
            fn (Window $window): array => ['result' => [$warped->values(0, $window), $warped->values(1, $window)]],
            $context,
            6,
        ))->run([], 'writing radar');
        @unlink(preg_replace('/\.tif$/', '.stac.json', $path) ?? '');
    }

    /**
     * Backscatter without speckle on a grid, VV.
     *
     * @return list<float>
     */
    public static function truth(CatalogueScene $scene, Grid $grid): array
    {
        $sigma = [0 => 0.0];
        foreach (Cover::cases() as $cover) {
            $sigma[$cover->value] = 10 ** (self::decibel($cover, false) / 10);
        }
        $plane = array_map(fn (int $code): float => $sigma[$code], Reduce::mode(Landscape::at($scene->later)->cover, Landscape::SIZE, Landscape::SIZE));

        return (new Warped(new self([$plane]), $grid, Resampling::Nearest))->values(0, new Window(0, 0, $grid->width, $grid->height));
    }

    /**
     * Multi-look intensity: a mean of exponentially spread looks.
     *
     * @param  list<float>  $values
     * @return list<float>
     */
    private static function speckled(array $values, int $seed): array
    {
        $random = new \Random\Engine\Xoshiro256StarStar($seed);
        $numbers = [];
        foreach ($values as $k => $value) {
            $product = 1.0;
            for ($look = 0; $look < self::LOOKS; $look += 2) {
                if ($numbers === []) {
                    $numbers = array_values((array) unpack('V2', $random->generate()));
                }
                $product *= ((int) array_pop($numbers) + 1) / 4294967297;
                if ($numbers === []) {
                    $numbers = array_values((array) unpack('V2', $random->generate()));
                }
                $product *= ((int) array_pop($numbers) + 1) / 4294967297;
            }
            $values[$k] = $value * -log($product) / self::LOOKS;
        }

        return $values;
    }

    public function spec(): RasterSpec
    {
        return new RasterSpec(OpticalScene::grid(20), [new Band, new Band], SampleType::Float32, NAN);
    }

    public function name(): string
    {
        return 'radar';
    }

    public function levels(): array
    {
        $grid = $this->spec()->grid;

        return [[$grid->width, $grid->height]];
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        throw new \LogicException('Radar is computed.');
    }

    public function values(int $band, Window $window): array
    {
        $width = OpticalScene::grid(20)->width;
        $out = [];
        for ($row = $window->row; $row < $window->row + $window->height; $row++) {
            array_push($out, ...array_slice($this->planes[$band], $row * $width + $window->col, $window->width));
        }

        return $out;
    }
}
