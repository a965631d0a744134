<?php

namespace Chorometra\Core\Tests;

use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** The inputs that examples name, of any size and content. */
trait Samples
{
    use MakesRasters;

    /** What pixels may hold. */
    protected const CONTENTS = ['ground', 'noise', 'nodata', 'constant', 'zeros', 'infinite', 'whole'];

    /** A sample as a file; $number of several. */
    protected function sample(string $name, int $width = 90, int $height = 80, string $content = 'ground', int $number = 1): string
    {
        $grid = self::grid($width, $height);
        $file = "$number-".strtok($name, '.').'.tif';

        return match ($name) {
            'area' => $this->features('area', [['type' => 'Polygon', 'coordinates' => [self::box($grid, 0.2, 0.8)]]]),
            'places.geojson' => $this->features('places', [['type' => 'Point', 'coordinates' => [7.93, 54.79]]], crs: null),
            'points' => $this->features(
                'points',
                array_map(fn (float $share): array => ['type' => 'Point', 'coordinates' => $grid->toMap($share * $width, $share * $height)], [
                    0.1,
                    0.3,
                    0.5,
                    0.7,
                    0.9,
                ]),
                ['label' => 'a'],
            ),
            'controls' => $this->controls($grid),
            'scene.tar.gz' => $this->scene($width, $height, $content),
            'map' => $this->raster($file, RasterSpec::classes($grid, Legend::of(['a', 'b', 'c'])), [$this->codes($width, $height, $content)]),
            'segments' => $this->raster($file, RasterSpec::segments($grid), [range(1, $width * $height)]),
            'tree' => $this->tree($width * $height),
            'key.json', 'key' => $this->key(),
            'training' => $this->training($grid),
            'model' => $this->model(),
            'heights' => $this->raster($file, new RasterSpec($grid, [new Band()]), [
                array_map(fn (float $value): float => 300 * $value, $this->plane($width, $height, $content, 3)),
            ]),
            'pan' => $this->raster($file, new RasterSpec(self::grid($width, $height)->resized(2 * $width, 2 * $height), [new Band('pan', 'pan', 0.6)]), [
                $this->plane(2 * $width, 2 * $height, $content, 6),
            ]),
            'intensity' => $this->raster($file, new RasterSpec($grid, [new Band('vv', 'vv')]), [$this->plane($width, $height, $content, 4)]),
            'quality' => $this->raster($file, new RasterSpec($grid, [new Band('quality')], SampleType::UInt16, null), [
                array_map(fn (int $code): int => [64, 64 | 8, 64 | 16, 128][$code], $this->codes($width, $height, $content)),
            ]),
            default => $this->bands($file, $name, $width, $height, $content),
        };
    }

    /** Asks the first image for one band, and the second of what is bright for another. */
    private function key(): string
    {
        Document::write("$this->folder/key.json", [
            'type' => 'key',
            'version' => 1,
            'classes' => [
                ['value' => 1, 'name' => 'bright', 'colour' => '#d9c25a'],
                ['value' => 2, 'name' => 'dark', 'colour' => '#26456e'],
                ['value' => 3, 'name' => 'changed', 'colour' => '#9a2b39'],
            ],
            'couplets' => [
                ['id' => 'bright', 'question' => 'is it bright?', 'measure' => 'a.nir', 'least' => 0.3,
                    'yes' => ['couplet' => 'changed'], 'no' => ['class' => 'dark']],
                ['id' => 'changed', 'measure' => 'a.red - b.red', 'least' => -0.01, 'below' => 0.01,
                    'yes' => ['class' => 'bright'], 'no' => ['class' => 'changed']],
            ],
            'rules' => [
                ['rule' => 'absorb', 'of' => ['changed'], 'below' => 8],
                ['rule' => 'fill', 'with' => 'bright'],
                ['rule' => 'dissolve'],
            ],
        ]);

        return "$this->folder/key.json";
    }

    /** Four areas of each of three classes, spread over the grid. */
    private function training(Grid $grid): string
    {
        $features = [];
        for ($k = 0; $k < 12; $k++) {
            [$x, $y] = [($k % 4) / 4, intdiv($k, 4) / 3];
            $corners = [[$x, $y], [$x + 0.2, $y], [$x + 0.2, $y + 0.28], [$x, $y + 0.28], [$x, $y]];
            $ring = array_map(fn (array $at): array => $grid->toMap($at[0] * $grid->width, $at[1] * $grid->height), $corners);
            $features[] = ['type' => 'Feature', 'properties' => ['class' => ['water', 'meadow', 'wood'][$k % 3]],
                'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]]];
        }
        file_put_contents("$this->folder/training.geojson", json_encode([
            'type' => 'FeatureCollection', 'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']], 'features' => $features,
        ]));

        return "$this->folder/training.geojson";
    }

    /** Knows two bands of two images. */
    private function model(): string
    {
        $band = fn (string $name): array => ['name' => $name, 'unit' => 'reflectance', 'mean' => 0.3, 'deviation' => 0.1, 'minimum' => 0.1, 'maximum' => 0.4];
        Document::write("$this->folder/model.json", [
            'type' => 'model',
            'version' => 1,
            'method' => 'nearest-mean',
            'classes' => [['value' => 1, 'name' => 'dark', 'colour' => '#26456e'], ['value' => 3, 'name' => 'bright', 'colour' => '#d9c25a']],
            'bands' => [$band('a.nir'), $band('b.red')],
            'parameters' => ['means' => [[0.2, 0.2], [0.35, 0.3]], 'scales' => [1, 1], 'spreads' => [0.05, 0.06], 'reject' => 3.0],
        ]);

        return "$this->folder/model.json";
    }

    /** Of as many pieces, of which the first two are one from 24 on. */
    private function tree(int $leaves): string
    {
        $tree = $leaves < 2 ? new MergeTree($leaves, [], [], [], []) : new MergeTree($leaves, [1], [2], [24.0], [0], ['settings' => ['merge-limit' => 20.0]]);
        $tree->write("$this->folder/tree.npz");

        return "$this->folder/tree.npz";
    }

    private function bands(string $file, string $name, int $width, int $height, string $content): string
    {
        $isCounts = $name === 'counts' || $content === 'whole';
        $constants = $name === 'counts' ? ['reflectance_gain' => 2e-5, 'reflectance_offset' => -0.1, 'radiance_gain' => 0.01, 'radiance_offset' => 0.0] : [];
        $bands = $planes = [];
        foreach (['blue' => 0.48, 'green' => 0.56, 'red' => 0.66, 'nir' => 0.86, 'swir1' => 1.6] as $role => $wavelength) {
            $bands[] = new Band($role, $role, $wavelength, 0.05, $isCounts ? 'counts' : 'reflectance', $constants);
            $plane = $this->plane($width, $height, $content, count($bands), $name === 'later' ? 1.3 : 0.0);
            $planes[] = $isCounts ? array_map(fn (float $value): float => is_nan($value) ? NAN : round(60_000 * max(0.0, min(1.0, $value))), $plane) : $plane;
        }
        $properties = ['view:sun_elevation' => 35.0, 'view:sun_azimuth' => 140.0, 'datetime' => '2031-05-12T10:41:22Z'];

        return $this->raster(
            $file,
            new RasterSpec(
                self::grid($width, $height),
                $bands,
                $isCounts ? SampleType::UInt16 : SampleType::Float32,
                $isCounts ? ($content === 'nodata' ? 0.0 : null) : NAN,
                properties: $properties,
            ),
            $planes,
        );
    }

    /** @return list<float> */
    private function plane(int $width, int $height, string $content, int $seed, float $shift = 0.0): array
    {
        $random = new Randomizer(new Mt19937($seed + ($shift > 0.0 ? 100 : 0)));

        return array_map(fn (int $i): float => match ($content) {
            'ground' => self::ground($i % $width - $shift, intdiv($i, $width) - $shift, $seed),
            'nodata' => NAN,
            'constant' => 0.25,
            'zeros' => 0.0,
            'infinite' => $i % 3 === 0 ? INF : 0.01 * ($i % 40),
            default => $random->getInt(0, 10_000) / 10_000,
        }, range(0, $width * $height - 1));
    }

    /** Hills and fields, a little different in each band, with water in one corner. */
    private static function ground(float $x, float $y, int $band): float
    {
        $water = $x + $y < 24 ? 0.2 : 1.0;

        return $water *
            (0.25 +
                0.01 * $band +
                0.12 * sin($x / 4.3 + 0.1 * $band) * cos($y / 5.9) +
                0.06 * sin(($x * 0.8 + $y) / 2.1) +
                0.03 * sin($x * 1.3) * sin($y * 1.7));
    }

    /** @return list<int> */
    private function codes(int $width, int $height, string $content): array
    {
        $random = new Randomizer(new Mt19937(9));

        return array_map(fn (int $i): int => match ($content) {
            'ground' => 1 + intdiv($i % $width, 7) % 2 + intdiv(intdiv($i, $width), 11) % 2,
            'nodata' => 0,
            'constant', 'zeros' => 1,
            default => $random->getInt(0, 3),
        }, range(0, $width * $height - 1));
    }

    /** @return list<array{float, float}> */
    private static function box(Grid $grid, float $from, float $to): array
    {
        return array_map(fn (array $corner): array => $grid->toMap($corner[0] * $grid->width, $corner[1] * $grid->height), [
            [$from, $from],
            [$to, $from],
            [$to, $to],
            [$from, $to],
            [$from, $from],
        ]);
    }

    /**
     * @param  list<array<string, mixed>>  $geometries
     * @param  array<string, mixed>  $properties
     */
    private function features(string $name, array $geometries, array $properties = [], ?int $crs = 32632): string
    {
        $features = array_map(fn (array $geometry): array => ['type' => 'Feature', 'properties' => (object) $properties, 'geometry' => $geometry], $geometries);
        file_put_contents(
            "$this->folder/$name.geojson",
            json_encode(
                ['type' => 'FeatureCollection', 'features' => $features] +
                    ($crs === null ? [] : ['crs' => ['type' => 'name', 'properties' => ['name' => "urn:ogc:def:crs:EPSG::$crs"]]]),
            ),
        );

        return "$this->folder/$name.geojson";
    }

    private function controls(Grid $grid): string
    {
        $features = [];
        foreach ([[0, 0], [1, 0], [0, 1], [1, 1], [0.5, 0.5], [0.2, 0.8]] as [$x, $y]) {
            [$col, $row] = [$x * $grid->width, $y * $grid->height];
            $features[] = [
                'type' => 'Feature',
                'properties' => ['column' => $col, 'row' => $row],
                'geometry' => ['type' => 'Point', 'coordinates' => $grid->toMap($col, $row)],
            ];
        }
        file_put_contents(
            "$this->folder/controls.geojson",
            json_encode([
                'type' => 'FeatureCollection',
                'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']],
                'features' => $features,
            ]),
        );

        return "$this->folder/controls.geojson";
    }

    /** A scene as an archive hands it over: a STAC Item and a file for each band. */
    private function scene(int $width, int $height, string $content): string
    {
        $folder = "$this->folder/scene";
        @mkdir($folder);
        $assets = [];
        foreach (['blue', 'green', 'red', 'nir'] as $k => $role) {
            $this->raster("scene/$role.tif", new RasterSpec(self::grid($width, $height), [new Band()], SampleType::UInt16, 0.0), [
                array_map(
                    fn (float $value): float => is_finite($value) ? round(1 + 9_000 * max(0.0, $value)) : NAN,
                    $this->plane($width, $height, $content, $k + 1),
                ),
            ]);
            @unlink("$folder/$role.stac.json");
            $assets[$role] = [
                'href' => "./$role.tif",
                'roles' => ['data', 'reflectance'],
                'eo:bands' => [['name' => $role, 'common_name' => $role]],
                'raster:bands' => [['scale' => 0.0001, 'offset' => 0]],
            ];
        }
        file_put_contents(
            "$folder/item.json",
            json_encode([
                'type' => 'Feature',
                'stac_version' => '1.0.0',
                'id' => 'scene',
                'geometry' => null,
                'links' => [],
                'properties' => ['datetime' => '2031-05-12T10:00:00Z', 'view:sun_elevation' => 41.5],
                'assets' => $assets,
            ]),
        );

        return $folder;
    }
}
