<?php

namespace Chorometra\Core\Tests\Engine;

use Chorometra\Core\Engine\Context;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Step\Opening;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\DataProvider;

/** Every kind on images of odd shapes and contents: a result of the right size, or one sentence; never a break. */
final class EveryKindTest extends TestCase
{
    private const ROLES = ['blue', 'green', 'red', 'nir', 'swir1'];

    private const SUN = ['view:sun_elevation' => 35.0, 'view:sun_azimuth' => 140.0, 'datetime' => '2031-05-12T10:41:22Z'];

    /** Long strips must come out whole; whatever else is odd may be refused. */
    private const STRIPS = ['strip down' => [30, 1400], 'strip across' => [1400, 30]];

    /** @return iterable<string, array{int, int, string}> */
    public static function images(): iterable
    {
        foreach (self::STRIPS as $name => [$width, $height]) {
            yield "$name, noise" => [$width, $height, 'noise'];
        }
        foreach (['one pixel' => [1, 1], 'a column' => [1, 300], 'a row' => [300, 1], 'square' => [40, 40]] as $name => [$width, $height]) {
            foreach (['noise', 'nodata', 'constant', 'zeros', 'infinite', 'counts'] as $content) {
                yield "$name, $content" => [$width, $height, $content];
            }
        }
    }

    #[DataProvider('images')]
    public function test_a_result_or_a_sentence(int $width, int $height, string $content): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(5));
        $count = $width * $height;
        $plane = fn (): array => array_map(fn (int $i): float => match ($content) {
            'nodata' => NAN,
            'constant' => 0.25,
            'zeros' => 0.0,
            'infinite' => $i % 3 === 0 ? INF : 0.01 * ($i % 40),
            'counts' => (float) $random->getInt(0, 65535),
            default => $random->getInt(0, 10_000) / 10_000,
        }, range(0, $count - 1));
        $isCounts = $content === 'counts';
        $constants = ['reflectance_gain' => 2e-5, 'reflectance_offset' => -0.1, 'radiance_gain' => 0.01, 'radiance_offset' => 0.0];
        $wavelengths = ['blue' => 0.48, 'green' => 0.56, 'red' => 0.66, 'nir' => 0.86, 'swir1' => 1.6];
        $bands = array_map(fn (string $role): Band => new Band($role, $role, $wavelengths[$role], 0.05, $isCounts ? 'counts' : 'reflectance', $constants), self::ROLES);
        $image = $this->raster('i.tif', new RasterSpec(self::grid($width, $height), $bands, $isCounts ? SampleType::UInt16 : SampleType::Float32, $isCounts ? null : NAN, properties: self::SUN), array_map($plane, self::ROLES));
        $raw = $this->raster('q.tif', new RasterSpec(self::grid($width, $height), [new Band('quality')], SampleType::UInt16, null), [array_map(fn (): int => $random->getInt(0, 65535), range(1, $count))]);
        $radar = $this->raster('r.tif', new RasterSpec(self::grid($width, $height), [new Band('vv', 'vv')]), [$plane()]);
        $map = $this->raster('m.tif', RasterSpec::classes(self::grid($width, $height), Legend::of(['a', 'b', 'c'])), [array_map(fn (): int => $random->getInt(0, 3), range(1, $count))]);
        $dem = $this->raster('dem.tif', new RasterSpec(self::grid($width, $height), [new Band]), [array_map(fn (float $value): float => 100 * $value, $plane())]);
        $out = "$this->folder/out";
        $grid = self::grid($width, $height);
        $runs = [
            'gather.mosaic' => [['images:1' => $image, 'images:2' => $image], ['overlap' => 'blend', 'fade' => 3]],
            'gather.reproject' => [['image' => $image], ['pixel-size' => 15, 'resampling' => 'cubic']],
            'gather.image' => [['image' => $image], []],
            'gather.stack' => [['images:1' => $image, 'images:2' => $radar], []],
            'gather.subset' => [['image' => $image], ['bounds' => implode(',', [$grid->toMap(0, $height)[0], $grid->toMap(0, $height)[1], ...$grid->toMap($width, 0)])]],
            'correct.backscatter' => [['image' => $radar], []],
            'correct.lines' => [['image' => $image], ['pixel-limit' => 20]],
            'correct.calibrate' => [['image' => $image], []],
            'correct.coregister' => [['moving' => $image, 'reference' => $image], ['window' => '32']],
            'correct.dark-object' => [['image' => $image], []],
            'correct.gaps' => [['image' => $image, 'other' => $image], ['size' => 5]],
            'correct.geocode' => [['image' => $image, 'points' => $this->controls($grid)], ['crs' => 32632, 'transform' => 'affine']],
            'correct.haze' => [['image' => $image], []],
            'correct.mask' => [['image' => $raw], ['grow' => 3, 'least-confidence' => 'medium']],
            'correct.speckle' => [['image' => $radar], ['filter' => 'refined-lee']],
            'correct.surface' => [['image' => $image], []],
            'correct.terrain' => [['image' => $image, 'elevation' => $dem], ['least-slope' => 0]],
            'derive.index' => [['image' => $image], ['index' => 'ndvi']],
            'segment.slice' => [['image' => $image], ['limits' => '0.3,0.6', 'minimum' => 4], 'segments'],
            'assess.draw' => [['map' => $map], ['points' => 9]],
            'assess.matrix' => [['map' => $map, 'points' => "$this->folder/draw.geojson"], []],
            'deliver.image' => [['image' => $image], []],
            'deliver.outlines' => [['image' => $map], ['simplify' => 30]],
        ];
        self::assertSame([], array_diff(array_keys(Registry::all()), array_keys($runs), ['gather.bundle', 'gather.features', 'gather.order']), 'every kind that takes rasters is here');
        file_put_contents("$this->folder/draw.geojson", json_encode(['type' => 'FeatureCollection', 'features' => [['type' => 'Feature', 'properties' => ['label' => 'a'], 'geometry' => ['type' => 'Point', 'coordinates' => [7.93, 54.79]]]]]));
        foreach ($runs as $id => $run) {
            [$inputs, $settings] = $run;
            $name = $run[2] ?? 'result';
            $ending = match ($id) {
                'assess.draw', 'deliver.outlines' => 'geojson',
                'assess.matrix' => 'csv',
                default => 'tif',
            };
            $path = "$out/$id.$ending";
            $kind = Registry::get($id);
            try {
                Runner::run($kind, Opening::call($kind, $inputs, $settings, [$name => $path], new Context(2, $this->folder)));
            } catch (Problem $problem) {
                self::assertStringNotContainsString('broke off', $problem->getMessage(), $id);
                self::assertMatchesRegularExpression('/^[^\n]{20,600}$/', $problem->getMessage(), $id);
                self::assertFileDoesNotExist($path, $id);
                $isStrip = in_array([$width, $height], self::STRIPS, true);
                // too narrow for windows, too noisy to be one scene, or nothing known of a place
                self::assertTrue(! $isStrip || in_array($id, ['correct.coregister', 'assess.matrix'], true), "$id: {$problem->getMessage()}");

                continue;
            }
            if ($ending === 'tif') {
                $made = (new GeoTiffImage($path))->spec()->grid;
                if ($id !== 'correct.geocode') {
                    // pixels of 15 m start at whole multiples of it
                    $share = $id === 'gather.reproject' ? 20 / 15 : 1;
                    self::assertEqualsWithDelta([$width * $share, $height * $share], [$made->width, $made->height], $share > 1 ? 1.5 : 0, $id);
                }
            } else {
                self::assertGreaterThan(0, filesize($path), $id);
            }
        }
    }

    private function controls(Grid $grid): string
    {
        $features = [];
        foreach ([[0, 0], [1, 0], [0, 1], [1, 1], [0.5, 0.5], [0.2, 0.8]] as [$x, $y]) {
            [$col, $row] = [$x * $grid->width, $y * $grid->height];
            $features[] = ['type' => 'Feature', 'properties' => ['column' => $col, 'row' => $row], 'geometry' => ['type' => 'Point', 'coordinates' => $grid->toMap($col, $row)]];
        }
        file_put_contents("$this->folder/controls.geojson", json_encode(['type' => 'FeatureCollection', 'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']], 'features' => $features]));

        return "$this->folder/controls.geojson";
    }
}
