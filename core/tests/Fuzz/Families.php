<?php

namespace Chorometra\Core\Tests\Fuzz;

use Chorometra\Core\Correct\Air\SpectralLibrary;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\CsvRows;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\StoredTiles;
use Chorometra\Core\Format\Measures;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Format\Npz;
use Chorometra\Core\Format\Stac\Api;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Format\Web\PlaceService;
use Chorometra\Core\Gather\Intake\FileProbe;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\MakesRasters;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

/** What is read from outside, by family: sound files, and what is done with them once they are changed. */
final class Families
{
    use MakesRasters;

    public const NAMES = [
        'tiff', 'sidecar', 'bundle', 'metadata', 'geojson', 'geopackage', 'shapefile', 'picture', 'csv', 'points', 'stac',
        'edr', 'arrays', 'document', 'labels',
    ];

    private const FIXTURES = __DIR__.'/../fixtures';

    private string $folder;

    public function __construct(string $folder)
    {
        $this->folder = $folder;
        Files::folder($folder);
    }

    /** @return list<array<string, string>> sound samples: contents by file name, the main one first */
    public function samples(string $family): array
    {
        return match ($family) {
            'tiff' => array_map(fn (string $file): array => ['a.tif' => (string) file_get_contents($file)], [
                ...array_values(array_filter(glob(self::FIXTURES.'/tiff/*.tif') ?: [], fn (string $file): bool => filesize($file) < 200_000)),
                $this->scene(),
            ]),
            'sidecar' => [
                ['a.tif' => (string) file_get_contents($this->scene()), 'a.stac.json' => (string) file_get_contents("$this->folder/scene.stac.json")],
            ],
            'bundle' => array_map(fn (string $name): array => [$name => (string) file_get_contents("$this->folder/$name")], $this->packed()),
            'metadata' => $this->metadata(),
            'geojson' => [
                ['a.geojson' => self::geojson()],
                ['a.geojson' => '{"type":"Polygon","coordinates":[[[8.0,54.75],[8.02,54.75],[8.02,54.77],[8.0,54.75]]]}'],
                [
                    'a.geojson' => '{"type":"Feature","properties":{"class":"wood"},"geometry":{"type":"GeometryCollection",'
                        .'"geometries":[{"type":"Point","coordinates":[8,54]},{"type":"Polygon","coordinates":[[[8.0,54.75],[8.02,54.75],'
                            .'[8.02,54.77],[8.0,54.75]]]}]}}',
                ],
            ],
            'geopackage' => [['a.gpkg' => (string) file_get_contents(self::FIXTURES.'/vector/places.gpkg')]],
            'shapefile' => array_map(
                fn (string $stem): array => array_filter(
                    array_combine(
                        ['a.shp', 'a.dbf', 'a.prj', 'a.cpg'],
                        array_map(fn (string $ending): string => (string) @file_get_contents(self::FIXTURES."/vector/$stem.$ending"), [
                            'shp',
                            'dbf',
                            'prj',
                            'cpg',
                        ]),
                    ),
                ),
                ['areas', 'tracks'],
            ),
            'picture' => $this->pictures(),
            'csv' => [
                ['a.csv' => "wavelength,wood,water\n0.45,0.03,0.06\n0.55,0.06,0.05\n0.86,0.35,0.01\n"],
                ['a.csv' => "nm;Wald;Wasser\n450;3,1;6\n550;6;5\n860;35;1\n"],
            ],
            'points' => [['a.geojson' => self::controls(), 'b.geojson' => self::labelled()]],
            'stac' => [
                [
                    'landing.json' => self::landing(),
                    'search.json' => self::found(),
                    'item.json' => (string) json_encode(self::item('S1')),
                    'asset.tif' => (string) file_get_contents($this->scene()),
                ],
            ],
            'edr' => [['position.json' => self::coverage()]],
            'arrays' => $this->arrays(),
            'document' => array_map(
                fn (string $file): array => ['a.json' => (string) file_get_contents($file)],
                glob(dirname(__DIR__, 3).'/examples/*.key.json') ?: [],
            ),
            'labels' => array_map(fn (string $encoding): array => [
                'a.csv' => mb_convert_encoding("number,longitude,latitude,label,second,sure,note\n1,8.0,54.7,Dünengras,,sure,\"a, b\"\n2,8.1,54.8,2,Watt,,\n",
                    $encoding, 'UTF-8'),
            ], ['UTF-8', 'Windows-1252', 'UTF-16LE']),
            default => throw new \InvalidArgumentException("There is no family $family; there are ".implode(', ', self::NAMES).'.'),
        };
    }

    /** Reads what lies in the folder as the product does; only a Problem may come of it. */
    public function use(string $family, string $folder): void
    {
        match ($family) {
            'tiff' => $this->raster("$folder/a.tif", $folder),
            'sidecar' => $this->sidecar("$folder/a.tif", $folder),
            'bundle', 'metadata' => $this->bundle((glob("$folder/a*") ?: [''])[0], $folder),
            'geojson' => $this->features("$folder/a.geojson", $folder),
            'geopackage' => $this->features("$folder/a.gpkg", $folder),
            'shapefile' => $this->features("$folder/a.shp", $folder),
            'picture' => $this->picture((glob("$folder/a.{png,jpg}", GLOB_BRACE) ?: [''])[0], $folder),
            'csv' => $this->signatures("$folder/a.csv"),
            'points' => $this->points($folder),
            'stac' => $this->archive($folder),
            'edr' => $this->air($folder),
            'arrays' => self::each([
                fn () => FileProbe::of("$folder/a.npz"),
                fn () => MergeTree::read("$folder/a.npz")->cut(1.0),
                fn () => ($file = new Measures("$folder/a.npz"))->rows(0, min(10, $file->count())),
            ]),
            'document' => self::each([fn () => FileProbe::of("$folder/a.json"), fn () => Document::read("$folder/a.json")]),
            'labels' => self::each([
                fn () => LabelledPoints::read("$folder/a.csv", 4326),
                fn () => ($rows = new CsvRows("$folder/a.csv"))->order($rows->columns()[0]['name']),
            ]),
            default => null,
        };
    }

    /** @return list<array<string, string>> a merge tree and measures */
    private function arrays(): array
    {
        (new MergeTree(4, [1, 3, 5], [2, 4, 6], [1.0, 2.0, 3.0], [0, 0, 1]))->write("$this->folder/tree.npz");
        Npz::write("$this->folder/measures.npz", ['segment' => ['<u4', [1, 2, 3]], 'mean(nir)' => ['<f8', [0.1, 0.2, NAN]]], ['measures' => [
            'type' => 'measures', 'version' => 1, 'columns' => [['name' => 'segment', 'unit' => null], ['name' => 'mean(nir)', 'unit' => null]],
        ]]);

        return array_map(fn (string $name): array => ['a.npz' => (string) file_get_contents("$this->folder/$name.npz")], ['tree', 'measures']);
    }

    private function raster(string $path, string $folder): void
    {
        self::each([
            fn () => FileProbe::of($path),
            function () use ($path): void {
                $image = new GeoTiffImage($path);
                foreach ($image->levels() as $level => [$width, $height]) {
                    foreach (array_slice(array_keys($image->spec()->bands), 0, 4) as $band) {
                        $image->read($band, (new Window(0, 0, 300, 300))->within($width, $height), $level);
                        $image->read($band, (new Window(max(0, $width - 40), max(0, $height - 40), 40, 40))->within($width, $height), $level);
                    }
                }
                if ($image->spec()->grid->width * $image->spec()->grid->height < 1 << 20) {
                    Histogram::of($image, 0, 64)->toArray();
                }
                StoredTiles::of($path)?->deflated(0, 0, 0, 0);
            },
            fn () => $this->small($path) ? self::run('gather.image', ['image' => $path], [], ['result' => "$folder/o.tif"], $folder) : null,
        ]);
    }

    private function sidecar(string $path, string $folder): void
    {
        $runs = [];
        foreach (
            [
                'derive.index' => ['index' => 'ndvi'],
                'correct.calibrate' => ['to' => 'toa-reflectance'],
                'gather.subset' => ['bounds' => '431000,6071500,431500,6072000'],
                'correct.dark-object' => [],
                'segment.slice' => ['band' => 'nir', 'limits' => '0.4'],
                'deliver.outlines' => ['band' => 'nir', 'at-least' => '0.4'],
            ] as $kind => $settings
        ) {
            $runs[] = fn () => self::run(
                $kind,
                ['image' => $path],
                $settings,
                $kind === 'segment.slice'
                    ? ['segments' => "$folder/o.tif", 'classes' => "$folder/oc.tif"]
                    : ['result' => $kind === 'deliver.outlines' ? "$folder/o.geojson" : "$folder/o.tif"],
                $folder,
            );
        }
        self::each([fn () => FileProbe::of($path), ...$runs]);
    }

    private function bundle(string $path, string $folder): void
    {
        self::each([
            fn () => FileProbe::of($path),
            fn () => self::run('gather.bundle', ['image' => $path], ['groups' => 'multispectral,pan'], ['result' => "$folder/o"], $folder),
            fn () => self::run(
                'correct.calibrate',
                ['image' => "$folder/o/multispectral.tif"],
                ['to' => 'toa-reflectance'],
                ['result' => "$folder/r.tif"],
                $folder,
            ),
        ]);
    }

    private function features(string $path, string $folder): void
    {
        self::each([
            fn () => FileProbe::of($path),
            fn () => self::run('gather.features', ['file' => $path], [], ['result' => "$folder/o.geojson"], $folder),
            fn () => self::run('gather.subset', ['image' => $this->scene(), 'area' => $path], [], ['result' => "$folder/o.tif"], $folder),
        ]);
        if (is_file("$folder/o.geojson")) {
            // what was taken in can be read again
            iterator_count(Vectors::read("$folder/o.geojson")->features());
        }
    }

    private function picture(string $path, string $folder): void
    {
        self::each([
            fn () => FileProbe::of($path),
            fn () => self::run('gather.image', ['image' => $path], ['crs' => '32632'], ['result' => "$folder/o.tif"], $folder),
        ]);
    }

    private function signatures(string $path): void
    {
        $signatures = SpectralLibrary::read($path);
        json_encode($signatures->covers, JSON_THROW_ON_ERROR);
        foreach (array_slice(array_keys($signatures->covers), 0, 4) as $cover) {
            $signatures->seenBy(new Band('nir', wavelength: 0.6, bandwidth: 0.1), (string) $cover);
        }
    }

    private function points(string $folder): void
    {
        self::each([
            fn () => self::run(
                'correct.geocode',
                ['image' => $this->scene(), 'points' => "$folder/a.geojson"],
                ['transform' => 'affine'],
                ['result' => "$folder/o.tif"],
                $folder,
            ),
            fn () => self::run('assess.matrix', ['map' => $this->map(), 'points' => "$folder/b.geojson"], [], ['result' => "$folder/o.json"], $folder),
        ]);
    }

    private function archive(string $folder): void
    {
        self::served(
            $folder,
            [
                '/' => 'landing.json',
                '/search' => 'search.json',
                '/collections' => 'landing.json',
                '/collections/c/items/S1' => 'item.json',
                '/order' => 'item.json',
                '/a.tif' => 'asset.tif',
            ],
            function (string $url) use ($folder): void {
                self::each([
                    function () use ($url): void {
                        $api = new Api($url);
                        $api->about();
                        json_encode($api->search(['c'], [8.0, 54.0, 9.0, 55.0], null, null, 30.0), JSON_THROW_ON_ERROR);
                    },
                    fn () => self::run(
                        'gather.order',
                        [],
                        ['archive' => $url, 'collection' => 'c', 'scene' => 'S1', 'patience' => '0.001'],
                        ['result' => "$folder/o"],
                        $folder,
                    ),
                ]);
            },
        );
    }

    private function air(string $folder): void
    {
        self::served($folder, ['/position' => 'position.json'], function (string $url): void {
            (new PlaceService($url))->over((new GeoTiffImage($this->scene()))->spec(), 'scene');
        });
    }

    /** @param  list<\Closure(): mixed>  $all  a sentence of one is no reason not to try the next */
    private static function each(array $all): void
    {
        foreach ($all as $one) {
            try {
                $one();
            } catch (\Chorometra\Core\Problem) {
                continue;
            }
        }
    }

    /**
     * @param  array<string, string>  $inputs
     * @param  array<string, mixed>  $settings
     * @param  array<string, string>  $outputs
     */
    private static function run(string $kind, array $inputs, array $settings, array $outputs, string $folder): void
    {
        $step = Registry::get($kind);
        $figures = Runner::run($step, CallOpener::call($step, $inputs, $settings, $outputs, new Context(1, "$folder/scratch")));
        json_encode($figures, JSON_THROW_ON_ERROR | JSON_PARTIAL_OUTPUT_ON_ERROR);
    }

    private function small(string $path): bool
    {
        $grid = (new GeoTiffImage($path))->spec()->grid;

        return $grid->width * $grid->height < 1 << 20;
    }

    private function scene(): string
    {
        $path = "$this->folder/scene.tif";
        if (! is_file($path)) {
            $values = fn (float $base): array => array_map(fn (int $i): float => $base + 0.1 * sin($i / 7), range(0, 48 * 40 - 1));
            $this->raster48(
                'scene.tif',
                new RasterSpec(
                    self::grid(48, 40),
                    [
                        new Band('red', 'red', 0.66, 0.04, 'counts', ['reflectance_gain' => 2e-5, 'reflectance_offset' => -0.1]),
                        new Band('nir', 'nir', 0.86, 0.03, 'counts', ['reflectance_gain' => 2e-5, 'reflectance_offset' => -0.1]),
                    ],
                    properties: ['datetime' => '2031-05-12T10:41:22Z', 'view:sun_elevation' => 45.0],
                ),
                [$values(0.2), $values(0.4)],
            );
        }

        return $path;
    }

    private function map(): string
    {
        $path = "$this->folder/map.tif";
        if (! is_file($path)) {
            $this->raster48('map.tif', RasterSpec::classes(self::grid(48, 40), \Chorometra\Core\Raster\Legend::of(['wood', 'water'])), [
                array_map(fn (int $i): int => 1 + (($i >> 4) % 2), range(0, 48 * 40 - 1)),
            ]);
        }

        return $path;
    }

    /** @param  list<list<float>|list<int>>  $planes */
    private function raster48(string $name, RasterSpec $spec, array $planes): void
    {
        $path = "$this->folder/$name";
        $context = new Context(1, "$this->folder/scratch");
        (new \Chorometra\Core\Engine\Production(
            ['result' => ['path' => $path, 'spec' => $spec]],
            fn (Window $window): array => [
                'result' => array_map(fn (array $plane): array => array_slice($plane, $window->row * $window->width, $window->pixels()), $planes),
            ],
            $context,
        ))->run([], 'sample');
        $context->clean();
    }

    /** @return list<string> names of a delivery in every packing */
    private function packed(): array
    {
        $names = ['a.tar', 'a.tar.gz', 'a.zip'];
        if (! is_file("$this->folder/a.zip")) {
            $bands = $this->bands();
            $tar = new \PharData("$this->folder/a.tar");
            $zip = new \ZipArchive;
            $zip->open("$this->folder/a.zip", \ZipArchive::CREATE);
            foreach ($bands + ['scene_META.txt' => self::META] as $name => $bytes) {
                $tar->addFromString($name, $bytes);
                $zip->addFromString($name, $bytes);
            }
            $zip->close();
            unset($tar);
            file_put_contents("$this->folder/a.tar.gz", gzencode((string) file_get_contents("$this->folder/a.tar"), 1));
        }

        return $names;
    }

    /** @return array<string, string> */
    private function bands(): array
    {
        $bands = [];
        foreach (['B3' => 4000, 'B4' => 8000, 'B7' => 3000] as $name => $value) {
            $this->raster48("x_$name.tif", new RasterSpec(self::grid(8, 8), [new Band()], SampleType::UInt16, null), [
                array_map(fn (int $i): int => $value + $i, range(0, 63)),
            ]);
            $bands["x_$name.tif"] = (string) file_get_contents("$this->folder/x_$name.tif");
        }

        return $bands;
    }

    /** @return list<array<string, string>> folders with a metadata text, and with a STAC Item: what is not a band is changed */
    private function metadata(): array
    {
        $samples = [];
        foreach (['a/scene_META.txt' => self::META, 'a/item.json' => (string) json_encode(self::delivered())] as $name => $text) {
            $sample = [$name => $text];
            foreach ($this->bands() as $band => $bytes) {
                $sample["a/$band"] = $bytes;
            }
            $samples[] = $sample;
        }

        return $samples;
    }

    /** @return list<array<string, string>> */
    private function pictures(): array
    {
        $image = imagecreatetruecolor(24, 20);
        assert($image !== false);
        imagesavealpha($image, true);
        for ($i = 0; $i < 480; $i++) {
            imagesetpixel($image, $i % 24, intdiv($i, 24), ($i * 7919) & 0xFFFFFF | ($i % 31 === 0 ? 127 << 24 : 0));
        }
        $world = "20.0\n0.0\n0.0\n-20.0\n431010.0\n6071990.0\n";
        imagepng($image, "$this->folder/p.png");
        imagejpeg($image, "$this->folder/p.jpg");
        imagetruecolortopalette($image, true, 16);
        imagepng($image, "$this->folder/q.png");

        return [
            ['a.png' => (string) file_get_contents("$this->folder/p.png"), 'a.pgw' => $world],
            ['a.jpg' => (string) file_get_contents("$this->folder/p.jpg"), 'a.jgw' => $world],
            ['a.png' => (string) file_get_contents("$this->folder/q.png")],
        ];
    }

    private const META = <<<'TEXT'
        GROUP = SCENE
          SPACECRAFT = "VELISANDE-1"
          INSTRUMENT = "QUILLON"
          SENSED_DATE = 2031-05-12
          SENSED_TIME = "10:41:22.5Z"
          SUN_ELEVATION = 52.4
        END_GROUP = SCENE
        GROUP = BANDS
          BAND_3_FILE = "x_B3.tif"
          BAND_3_REFLECTANCE_GAIN = 2.5e-05
          BAND_3_REFLECTANCE_OFFSET = -0.05
          BAND_4_FILE = "x_B4.tif"
          BAND_4_REFLECTANCE_GAIN = 2.5e-05
          BAND_4_REFLECTANCE_OFFSET = -0.05
          BAND_7_FILE = "x_B7.tif"
        END_GROUP = BANDS
        END
        TEXT;

    private static function geojson(): string
    {
        $features = [];
        foreach ([[8.0, 54.75], [7.93, 54.79], [7.94, 54.785]] as $i => [$x, $y]) {
            $features[] = [
                'type' => 'Feature',
                'properties' => ['name' => "field $i", 'area' => 1.5 * $i, 'odd' => null],
                'geometry' => [
                    'type' => $i === 1 ? 'MultiPolygon' : 'Polygon',
                    'coordinates' => $i === 1
                            ? [[[[$x, $y], [$x + 0.01, $y], [$x + 0.01, $y + 0.01], [$x, $y]]]]
                            : [
                                [[$x, $y], [$x + 0.01, $y], [$x + 0.01, $y + 0.01], [$x, $y + 0.01], [$x, $y]],
                                [[$x + 0.002, $y + 0.002], [$x + 0.004, $y + 0.004], [$x + 0.004, $y + 0.002], [$x + 0.002, $y + 0.002]],
                            ],
                ],
            ];
        }
        $features[] = ['type' => 'Feature', 'properties' => [], 'geometry' => ['type' => 'LineString', 'coordinates' => [[8.0, 54.7, 3.0], [8.1, 54.8, 4.0]]]];

        return (string) json_encode([
            'type' => 'FeatureCollection',
            'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::4326']],
            'features' => $features,
        ]);
    }

    private static function controls(): string
    {
        return (string) json_encode([
            'type' => 'FeatureCollection',
            'features' => array_map(
                fn (array $at): array => [
                    'type' => 'Feature',
                    'properties' => ['column' => $at[0], 'row' => $at[1]],
                    'geometry' => ['type' => 'Point', 'coordinates' => [8.0 + 0.0003 * $at[0], 54.75 - 0.00018 * $at[1]]],
                ],
                [[2, 3], [45, 4], [3, 37], [44, 36], [24, 20], [10, 30]],
            ),
        ]);
    }

    private static function labelled(): string
    {
        $to = fn (int $i): array => \Chorometra\Core\Geo\Crs::toGeographic(32632, 431_010.0 + 90 * $i, 6_071_990.0 - 70 * $i) ?? [0.0, 0.0];

        return (string) json_encode([
            'type' => 'FeatureCollection',
            'features' => array_map(
                fn (int $i): array => [
                    'type' => 'Feature',
                    'properties' => ['number' => $i, 'label' => $i % 3 ? 'wood' : 'water', 'stratum' => 'wood', 'note' => null],
                    'geometry' => ['type' => 'Point', 'coordinates' => $to($i)],
                ],
                range(0, 9),
            ),
        ]);
    }

    /** @return array<string, mixed> */
    private static function delivered(): array
    {
        $asset = fn (string $file, string $name): array => [
            'href' => "./$file",
            'type' => 'image/tiff',
            'roles' => ['data', 'reflectance'],
            'eo:bands' => [['name' => $name, 'common_name' => $name, 'center_wavelength' => 0.6, 'full_width_half_max' => 0.05]],
            'raster:bands' => [['scale' => 2.5e-5, 'offset' => -0.05, 'unit' => 'counts']],
        ];

        return [
            'type' => 'Feature',
            'stac_version' => '1.0.0',
            'id' => 'x',
            'geometry' => null,
            'properties' => [
                'datetime' => '2031-05-12T10:41:22Z',
                'platform' => 'velisande-1',
                'instruments' => ['quillon'],
                'view:sun_elevation' => 52.4,
                'eo:cloud_cover' => 3,
            ],
            'links' => [],
            'assets' => ['red' => $asset('x_B3.tif', 'red'), 'nir' => $asset('x_B4.tif', 'nir'), 'pan' => $asset('x_B7.tif', 'pan')],
        ];
    }

    /** @return array<string, mixed> */
    private static function item(string $id): array
    {
        return [
            'type' => 'Feature',
            'stac_version' => '1.0.0',
            'id' => $id,
            'collection' => 'c',
            'geometry' => ['type' => 'Polygon', 'coordinates' => [[[8, 54], [9, 54], [9, 55], [8, 54]]]],
            'bbox' => [8, 54, 9, 55],
            'properties' => [
                'datetime' => '2031-05-12T10:41:22Z',
                'eo:cloud_cover' => 12,
                'view:sun_elevation' => 40.5,
                'platform' => 'velisande-1',
                'order:status' => 'succeeded',
            ],
            'links' => [['rel' => 'order', 'href' => '/order', 'method' => 'POST']],
            'assets' => [
                'data' => [
                    'href' => 'a.tif',
                    'type' => 'image/tiff; application=geotiff',
                    'roles' => ['data'],
                    'file:size' => null,
                    'eo:bands' => [['name' => '1', 'common_name' => 'red'], ['name' => '2', 'common_name' => 'nir']],
                ],
                'thumbnail' => ['href' => 't.png', 'type' => 'image/png', 'roles' => ['thumbnail']],
            ],
        ];
    }

    private static function landing(): string
    {
        return (string) json_encode([
            'type' => 'Catalog',
            'stac_version' => '1.0.0',
            'id' => 'a',
            'title' => 'Archive',
            'description' => 'x',
            'conformsTo' => ['https://api.stacspec.org/v1.0.0/item-search#query'],
            'collections' => [['id' => 'c', 'title' => 'C']],
            'links' => [['rel' => 'search', 'href' => '/search', 'method' => 'POST'], ['rel' => 'data', 'href' => '/collections']],
        ]);
    }

    private static function found(): string
    {
        return (string) json_encode(['type' => 'FeatureCollection', 'features' => [self::item('S1'), self::item('S2')], 'links' => []]);
    }

    private static function coverage(): string
    {
        $parameter = fn (string $id, string $unit): array => [
            'type' => 'Parameter',
            'observedProperty' => ['id' => "http://vocab.nerc.ac.uk/standard_name/$id"],
            'unit' => ['symbol' => ['value' => $unit, 'type' => 'x']],
        ];

        return (string) json_encode([
            'type' => 'Coverage',
            'domain' => ['type' => 'Domain'],
            'parameters' => [
                'aot' => $parameter('atmosphere_optical_thickness_due_to_ambient_aerosol_particles', '1'),
                'water' => $parameter('atmosphere_mass_content_of_water_vapor', 'kg m-2'),
                'kind' => ['categoryEncoding' => ['http://x/urban' => 2, 'http://x/maritime' => [1]]] +
                    $parameter('aerosol_type_in_atmosphere_layer_in_air', '1'),
            ],
            'ranges' => [
                'aot' => ['type' => 'NdArray', 'values' => [0.2]],
                'water' => ['type' => 'NdArray', 'values' => [17.0]],
                'kind' => ['type' => 'NdArray', 'values' => [2]],
            ],
        ]);
    }

    /**
     * Answers with files while something is done.
     *
     * @param  array<string, string>  $files  by path
     * @param  \Closure(string): void  $do
     */
    private static function served(string $folder, array $files, \Closure $do): void
    {
        $socket = stream_socket_server('tcp://127.0.0.1:0') ?: throw new \RuntimeException('There is no free port.');
        $url = 'http://'.stream_socket_get_name($socket, false);
        $pid = pcntl_fork();
        if ($pid === 0) {
            // whoever asks ends this one; the alarm is for when that one is ended itself
            pcntl_alarm(20);
            while ($connection = @stream_socket_accept($socket, 20)) {
                $head = (string) fread($connection, 65536);
                $path = preg_match('~^\w+ ([^ ?]*)~', $head, $match) ? $match[1] : '';
                $file = $files[$path === '' ? '/' : $path] ?? null;
                $body = $file === null ? '{"description":"nothing"}' : (string) file_get_contents("$folder/$file");
                fwrite(
                    $connection,
                    'HTTP/1.1 '.
                        ($file === null ? '404 Not Found' : '200 OK').
                        "\r\nConnection: close\r\nContent-Type: application/json\r\nContent-Length: ".
                        strlen($body).
                        "\r\n\r\n".
                        $body,
                );
                fclose($connection);
            }
            posix_kill(posix_getpid(), SIGKILL);
        }
        fclose($socket);
        try {
            $do($url);
        } finally {
            posix_kill($pid, SIGKILL);
            pcntl_waitpid($pid, $status);
        }
    }
}
