<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Correct\Air\SpectralLibrary;
use Chorometra\Core\Format\Bundle\Contents;
use Chorometra\Core\Format\Bundle\TooLong;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\UntrustedValue;
use Chorometra\Core\Format\Vector\Crossing;
use Chorometra\Core\Format\Vector\GeoJsonFile;
use Chorometra\Core\Format\Vector\PolygonRings;
use Chorometra\Core\Format\Vector\Shapefile;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Format\Vector\WellKnownText;
use Chorometra\Core\Gather\Intake\FileProbe;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Tests\Fuzz\Families;
use Chorometra\Core\Tests\Fuzz\Fuzz;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Utf8;
use PHPUnit\Framework\Attributes\DataProvider;

/** Files that broke something once (fixtures/hostile), and changed files of every format: one sentence, or read right. */
final class HostileTest extends TestCase
{
    private const HOSTILE = __DIR__.'/../fixtures/hostile';

    /** @return iterable<string, array{string}> */
    public static function families(): iterable
    {
        foreach (Families::NAMES as $family) {
            yield $family => [$family];
        }
    }

    #[DataProvider('families')]
    public function test_changed_files_of_a_family(string $family): void
    {
        $fuzz = new Fuzz($this->folder, sys_get_temp_dir().'/chorometra-fuzz-kept');
        ['cases' => $cases, 'failures' => $failures] = $fuzz->run($family, 20261126, fn (int $done): bool => $done < 300);
        self::assertSame(300, $cases);
        self::assertSame([], $failures);
    }

    public function test_cases_that_were_kept(): void
    {
        $fuzz = new Fuzz($this->folder, "$this->folder/kept");
        foreach (glob(self::HOSTILE.'/kept/*') ?: [] as $folder) {
            $kind = (string) strstr(basename($folder), '-', true);
            $case = "$this->folder/again";
            Files::remove($case);
            mkdir($case);
            // families have names of their own for what they read
            $family = match ($kind) {
                'bundle', 'meta' => 'bundle',
                'vector' => 'shapefile',
                default => $kind,
            };
            foreach (glob("$folder/*") ?: [] as $path) {
                $name = match (true) {
                    is_dir($path) => 'a',
                    $kind === 'bundle', $kind === 'csv' => 'a'.strstr(basename($path), '.'),
                    default => basename($path),
                };
                self::shell(['cp', '-r', $path, "$case/$name"]);
            }
            self::assertNull($fuzz->again($family, $case), basename($folder));
        }
    }

    public function test_a_geopackage_that_is_a_program(): void
    {
        $this->problem(3, '“gpkg_geometry_columns” in it is no plain table', fn () => Vectors::read(self::HOSTILE.'/loop.gpkg'));
        $this->problem(3, 'in it is no plain table', fn () => iterator_to_array(Vectors::read(self::HOSTILE.'/bigrow.gpkg')->features()));
        // a column that is computed, and a table that is a program of its own
        foreach (
            [
                'CREATE TABLE farms (fid INTEGER PRIMARY KEY, geom BLOB, x TEXT GENERATED ALWAYS AS (zeroblob(900000000)))',
                'CREATE VIRTUAL TABLE farms USING fts5(geom)',
                'CREATE VIEW farms AS SELECT 1 AS fid, zeroblob(900000000) AS geom',
            ] as $i => $farms
        ) {
            $pdo = new \PDO("sqlite:$this->folder/$i.gpkg");
            foreach (
                [
                    'CREATE TABLE gpkg_contents (table_name TEXT, data_type TEXT)',
                    'CREATE TABLE gpkg_geometry_columns (table_name TEXT, column_name TEXT, srs_id INTEGER)',
                    'CREATE TABLE gpkg_spatial_ref_sys (srs_id INTEGER, organization TEXT, organization_coordsys_id INTEGER, definition TEXT)',
                    $farms,
                    "INSERT INTO gpkg_contents VALUES ('farms', 'features')",
                    "INSERT INTO gpkg_geometry_columns VALUES ('farms', 'geom', 4326)",
                ] as $statement
            ) {
                $pdo->exec($statement);
            }
            $this->problem(3, '“farms” in it is no plain table', fn () => Vectors::read("$this->folder/$i.gpkg"));
        }
    }

    public function test_a_cell_over_the_limit(): void
    {
        $pdo = new \PDO("sqlite:$this->folder/cell.gpkg");
        foreach (
            [
                'CREATE TABLE gpkg_contents (table_name TEXT, data_type TEXT)',
                'CREATE TABLE gpkg_geometry_columns (table_name TEXT, column_name TEXT, srs_id INTEGER)',
                'CREATE TABLE gpkg_spatial_ref_sys (srs_id INTEGER, organization TEXT, organization_coordsys_id INTEGER, definition TEXT)',
                'CREATE TABLE farms (fid INTEGER PRIMARY KEY, geom BLOB)',
                'INSERT INTO farms VALUES (1, zeroblob(17000000))',
                "INSERT INTO gpkg_contents VALUES ('farms', 'features')",
                "INSERT INTO gpkg_geometry_columns VALUES ('farms', 'geom', 4326)",
            ] as $statement
        ) {
            $pdo->exec($statement);
        }
        unset($pdo);
        $this->problem(3, 'a cell of more than 16 MB in row 1', fn () => iterator_to_array(Vectors::read("$this->folder/cell.gpkg")->features()));
    }

    public function test_tables_beside_shapes_that_claim_more_than_they_hold(): void
    {
        $this->problem(3, 'The attribute table of dbf0.shp is corrupt', fn () => Shapefile::read(self::HOSTILE.'/dbf0.shp'));
        // a scale of nothing makes no map: the CRS is one that is not known
        $this->problem(
            3,
            'which is not supported',
            fn () => $this->compute('gather.features', ['file' => self::HOSTILE.'/k0.shp'], [], ['result' => "$this->folder/o.geojson"]),
        );
        $text = fn (
            string $spheroid,
            string $parameter,
        ): string => "PROJCS[\"x\",GEOGCS[\"y\",DATUM[\"z\",SPHEROID[\"s\",$spheroid]]],PROJECTION[\"Transverse_Mercator\"],"
            ."PARAMETER[\"scale_factor\",$parameter],UNIT[\"metre\",1]]";
        self::assertNotNull(WellKnownText::projection($text('6378137,298.2', '0.9996')));
        foreach (
            [['6378137,298.2', '0'], ['6378137,298.2', '1e-300'], ['6378137,298.2', '1e999'], ['0,298.2', '1'], ['6378137,0.5', '1']] as [$spheroid, $scale]
        ) {
            self::assertNull(WellKnownText::projection($text($spheroid, $scale)), "$spheroid $scale");
        }
    }

    public function test_signatures_in_another_encoding_and_numbers_that_are_none(): void
    {
        $covers = SpectralLibrary::read(self::HOSTILE.'/latin.csv')->covers;
        self::assertTrue(mb_check_encoding(implode('', array_keys($covers)), 'UTF-8'));
        $this->problem(3, 'holds “1e999”', fn () => SpectralLibrary::read(self::HOSTILE.'/inf.csv'));
    }

    public function test_a_control_point_far_away_makes_no_endless_result(): void
    {
        $image = $this->image('scene.tif', 40, 30, ['red' => array_fill(0, 1200, 0.2)]);
        $problem = $this->problem(
            2,
            'more than 100 times those of scene.tif: are coordinates wrong?',
            fn () => $this->compute(
                'correct.geocode',
                ['image' => $image, 'points' => self::HOSTILE.'/gcp181.geojson'],
                ['transform' => 'affine'],
                ['result' => "$this->folder/o.tif"],
            ),
        );
        self::assertSame('pixel-size', $problem->about);
    }

    public function test_large_pictures_are_looked_at_without_unpacking_them(): void
    {
        foreach (['alpha8000.png', 'pal8000.png'] as $name) {
            memory_reset_peak_usage();
            $before = memory_get_usage();
            self::assertSame('8000 x 8000 pixels', FileProbe::of(self::HOSTILE."/$name")->facts['size']);
            self::assertLessThan(8 << 20, memory_get_peak_usage() - $before);
        }
    }

    public function test_directories_that_share_one_long_list_of_blocks(): void
    {
        // 12 directories of 1.9 million tiles each, whose lists are the same few bytes told as long
        $count = 1_900_000;
        $lists = 8 + 12 * (2 + 10 * 12 + 4);
        $out = "II\x2a\0".pack('V', 8);
        for ($k = 0; $k < 12; $k++) {
            $entries = [
                [254, 4, 1, $k === 0 ? 0 : 1],
                [256, 4, 1, 1900 - $k],
                [257, 4, 1, 1000],
                [258, 3, 1, 8],
                [259, 3, 1, 1],
                [277, 3, 1, 1],
                [322, 3, 1, 1],
                [323, 3, 1, 1],
                [324, 4, $count - 1000 * $k, $lists],
                [325, 4, $count - 1000 * $k, $lists],
            ];
            $out .= pack('v', count($entries));
            foreach ($entries as [$tag, $type, $number, $value]) {
                $out .= pack('vvVV', $tag, $type, $number, $value);
            }
            $out .= pack('V', $k === 11 ? 0 : strlen($out) + 4);
        }
        file_put_contents("$this->folder/shared.tif", $out.str_repeat("\1\0\0\0", $count));
        $this->problem(3, 'more than plausible', fn () => new GeoTiffImage("$this->folder/shared.tif"));
    }

    public function test_archives_that_unpack_to_far_more_than_any_scene(): void
    {
        $zeros = str_repeat("\0", 1 << 20);
        $size = 320 << 20;
        $header =
            str_pad('big.tif', 100, "\0").
            str_pad('0000644', 8, "\0").
            str_repeat("0000000\0", 2).
            sprintf('%011o', $size).
            "\0".
            str_repeat('0', 11).
            "\0".
            '        0'.
            str_repeat("\0", 355);
        $header = substr_replace($header, sprintf('%06o', array_sum((array) unpack('C*', $header)))."\0 ", 148, 8);
        $gz = gzopen("$this->folder/zeros.tar.gz", 'wb6');
        self::assertIsResource($gz);
        gzwrite($gz, $header);
        for ($i = 0; $i < 320; $i++) {
            gzwrite($gz, $zeros);
        }
        gzclose($gz);
        $this->problem(3, 'unpacks to more than 300 times its size', fn () => FileProbe::of("$this->folder/zeros.tar.gz"));
        $zip = new \ZipArchive;
        $zip->open("$this->folder/zeros.zip", \ZipArchive::CREATE);
        file_put_contents("$this->folder/zeros.bin", str_repeat($zeros, 320));
        $zip->addFile("$this->folder/zeros.bin", 'big.tif');
        $zip->close();
        $this->problem(3, 'unpacks to more than 300 times its size', fn () => FileProbe::of("$this->folder/zeros.zip"));
    }

    public function test_what_takes_long_to_look_through_waits_until_it_is_taken_in(): void
    {
        self::shell(['tar', '-C', self::HOSTILE, '-czf', "$this->folder/a.tar.gz", 'latin.csv', 'inf.csv']);
        try {
            Contents::of("$this->folder/a.tar.gz", $this->folder, -1.0);
            self::fail('It was looked through after its time.');
        } catch (TooLong) {
            self::assertCount(2, Contents::of("$this->folder/a.tar.gz", $this->folder, 60.0)->entries);
        }
        $large = fopen("$this->folder/large.geojson", 'wb');
        self::assertIsResource($large);
        fwrite($large, '{"type":"FeatureCollection","features":[');
        ftruncate($large, 65 << 20);
        fclose($large);
        $identity = FileProbe::of("$this->folder/large.geojson");
        self::assertSame(['gather.features', []], [$identity->kind, $identity->lacks]);
        $this->problem(
            3,
            'is broken',
            fn () => $this->compute('gather.features', ['file' => "$this->folder/large.geojson"], [], ['result' => "$this->folder/o.geojson"]),
        );
    }

    public function test_an_order_that_is_never_ready_has_an_end(): void
    {
        $item = json_encode([
            'type' => 'Feature',
            'stac_version' => '1.0.0',
            'id' => 'S1',
            'properties' => ['order:status' => 'pending'],
            'assets' => (object) [],
            'links' => [],
        ]);
        file_put_contents("$this->folder/router.php", '<?php header("Content-Type: application/json"); echo '.var_export($item, true).';');
        $socket = stream_socket_server('tcp://127.0.0.1:0');
        self::assertIsResource($socket);
        $address = (string) stream_socket_get_name($socket, false);
        fclose($socket);
        $server = proc_open(
            [PHP_BINARY, '-S', $address, "$this->folder/router.php"],
            [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']],
            $pipes,
        );
        self::assertIsResource($server);
        try {
            for ($i = 0; $i < 500 && ! is_resource(@fsockopen(...explode(':', $address))); $i++) {
                usleep(20_000);
            }
            $this->problem(
                3,
                'S1 is not ready after 0.01 minutes (its order is pending)',
                fn () => $this->compute(
                    'gather.order',
                    [],
                    ['archive' => "http://$address", 'collection' => 'c', 'scene' => 'S1', 'patience' => '0.01'],
                    ['result' => "$this->folder/out"],
                ),
            );
        } finally {
            proc_terminate($server);
            proc_close($server);
        }
    }

    public function test_infinite_samples_are_nodata_and_told_whatever_the_workers(): void
    {
        $values = array_map(fn (int $i): float => $i % 100 / 100, range(0, 512 * 600 - 1));
        $values[7] = INF;
        $values[300 * 512] = -INF;
        $values[599 * 512 + 11] = INF;
        // written past the writer, which would not let them through
        $bytes = '';
        foreach ([$values, array_reverse($values)] as $band) {
            $bytes .= pack('g*', ...$band);
        }
        $raw = "$this->folder/infinite.tif";
        $head = "II\x2a\0".pack('V', 8).pack('v', 11);
        foreach (
            [
                [256, 4, 1, 512],
                [257, 4, 1, 600],
                [258, 3, 2, 32 | (32 << 16)],
                [259, 3, 1, 1],
                [262, 3, 1, 1],
                [273, 4, 2, 200],
                [277, 3, 1, 2],
                [278, 4, 1, 600],
                [279, 4, 2, 208],
                [284, 3, 1, 2],
                [339, 3, 2, 3 | (3 << 16)],
            ] as [$tag, $type, $count, $value]
        ) {
            $head .= pack('vvVV', $tag, $type, $count, $value);
        }
        file_put_contents($raw, str_pad($head.pack('V', 0), 200, "\0").pack('V*', 216, 216 + 512 * 600 * 4, 512 * 600 * 4, 512 * 600 * 4).$bytes);
        $hashes = [];
        foreach ([1, 2, 5] as $workers) {
            $context = fn (): Context => new Context($workers, $this->folder);
            $figures = $this->compute('gather.image', ['image' => $raw], ['roles' => 'red,nir'], ['result' => "$this->folder/in$workers.tif"], $context());
            self::assertSame(6, $figures['infinitePixels']);
            self::assertSame([307197, 3], [$figures['result']['bands'][0]['pixels'], $figures['result']['bands'][0]['nodata']]);
            $dark = $this->compute('correct.dark-object', ['image' => $raw], [], ['result' => "$this->folder/dark$workers.tif"], $context());
            self::assertSame(6, $dark['infinitePixels'], 'counted once, though read twice');
            $hashes[] = [
                md5_file("$this->folder/in$workers.tif"),
                md5_file("$this->folder/dark$workers.tif"),
                json_encode(array_diff_key($dark, ['seconds' => 1, 'memory' => 1])),
            ];
            $histogram = Histogram::of(new GeoTiffImage($raw), 0, 100, $context());
            self::assertSame([0.0, 3, 3, 307197], [$histogram->minimum, $histogram->infinite, $histogram->missing, array_sum($histogram->counts)]);
        }
        self::assertCount(1, array_unique($hashes, SORT_REGULAR));
        // what was taken in holds none any more, and its figures are those of the finite ones
        self::assertArrayNotHasKey(
            'infinitePixels',
            $this->compute('derive.index', ['image' => "$this->folder/in1.tif"], ['index' => 'ndvi'], ['result' => "$this->folder/n.tif"]),
        );
        // a division that leads nowhere is nodata in the result
        $of = $this->raster('over.tif', new RasterSpec(self::grid(4, 1), [new Band]), [[1.0, INF, -INF, 1e39]]);
        self::assertClose([1.0, NAN, NAN, NAN], self::pixels($of), 0.0);
        self::assertSame([1, 3, 2], [($m = Moments::of([1.0, INF, -INF, NAN]))->count, $m->missing, $m->infinite]);
    }

    public function test_a_long_ring_is_looked_through_in_time(): void
    {
        $ring = [];
        for ($i = 0, $n = 100_000; $i < $n; $i++) {
            $ring[] = [431_100 + 0.015 * $i, $i % 2 ? 6_071_000.0 : 6_071_900.0];
        }
        array_push($ring, [431_100 + 0.015 * $n, 6_072_500.0], [431_100.0, 6_072_500.0], $ring[0]);
        self::assertNull(Crossing::of($ring));
        $crossed = $ring;
        [$crossed[50_001], $crossed[50_003]] = [$crossed[50_003], $crossed[50_001]];
        self::assertNotNull(Crossing::of($crossed));
        // every second column of 30 m is inside: shares of a pixel of 20 m
        $mask = new PolygonMask([[$ring]], self::grid(100, 100));
        self::assertSame(75, $mask->bounds->width);
        $inside = array_sum(
            array_map(fn (array $runs): int => array_sum(array_map(fn (array $run): int => $run[1] - $run[0], $runs)), $mask->runs(new Window(0, 0, 100, 5))),
        );
        self::assertSame(375, $inside, 'between the teeth and the way back all is inside');
    }

    public function test_polygons_that_reach_beyond_the_image_on_every_side(): void
    {
        // against the rule itself: a pixel is inside when its centre is, by the even-odd rule
        mt_srand(3);
        $grid = new Grid(40, 30);
        for ($round = 0; $round < 60; $round++) {
            $rings = [];
            for ($k = 0, $n = 1 + $round % 3; $k < $n; $k++) {
                $ring = [];
                for ($i = 0; $i < 5 + $round % 7; $i++) {
                    $ring[] = [mt_rand(-600, 1000) / 10.0 + 0.0371, mt_rand(-500, 800) / 10.0 + 0.0113];
                }
                $ring[] = $ring[0];
                $rings[] = $ring;
            }
            $runs = (new PolygonMask([$rings], $grid))->runs(new Window(0, 0, 40, 30));
            foreach ($runs as $row => $found) {
                $expected = [];
                for ($col = 0; $col < 40; $col++) {
                    $inside = false;
                    foreach ($rings as $ring) {
                        $inside = $inside !== PolygonRings::holds($ring, $col + 0.5, $row + 0.5);
                    }
                    $expected[] = $inside;
                }
                $told = array_fill(0, 40, false);
                foreach ($found as [$from, $to]) {
                    for ($col = $from; $col < $to; $col++) {
                        $told[$col] = true;
                    }
                }
                self::assertSame($expected, $told, "round $round, row $row");
            }
        }
    }

    public function test_crossings_are_those_that_every_pair_of_sides_tells(): void
    {
        mt_srand(5);
        for ($round = 0; $round < 400; $round++) {
            $ring = [];
            for ($i = 0, $n = 5 + $round % 40; $i < $n; $i++) {
                // places on a coarse lattice touch often
                $angle = 2 * M_PI * $i / $n;
                $size = 10 + mt_rand(0, $round % 3 === 0 ? 40 : 4);
                $ring[] = [round($size * cos($angle)), round($size * sin($angle))];
            }
            $ring[] = $ring[0];
            $expected = false;
            $side = fn (array $a, array $b, array $p): float => ($b[0] - $a[0]) * ($p[1] - $a[1]) - ($b[1] - $a[1]) * ($p[0] - $a[0]);
            for ($i = 1; $i <= $n; $i++) {
                for ($j = $i + 1; $j <= $n; $j++) {
                    [$a, $b, $c, $d] = [$ring[$i - 1], $ring[$i], $ring[$j - 1], $ring[$j]];
                    $expected = $expected || ($side($a, $b, $c) * $side($a, $b, $d) < 0 && $side($c, $d, $a) * $side($c, $d, $b) < 0);
                }
            }
            self::assertSame($expected, Crossing::of($ring) !== null, json_encode($ring) ?: '');
        }
    }

    public function test_the_sweep_finds_what_pairs_find(): void
    {
        mt_srand(9);
        for ($round = 0; $round < 30; $round++) {
            // long flat teeth lie over one another, so that the sweep has to look; one of some is too long
            $ring = [];
            $broken = $round % 2 === 1 ? mt_rand(20, 180) : -1;
            for ($i = 0; $i < 200; $i++) {
                $ring[] = [$i % 2 ? 100.0 + mt_rand(0, 50) / 10 : 0.5, $i + ($i === $broken ? 2.5 : 0.0)];
            }
            array_push($ring, [-1.0, 200.0], [-1.0, -1.0], $ring[0]);
            self::assertSame($broken >= 0, Crossing::of($ring) !== null, "round $round");
        }
    }

    public function test_geojson_is_read_in_a_stream_whatever_its_order(): void
    {
        $feature = '{"type":"Feature","properties":{"name":"a \"brace\" } ] and \\\\"},"geometry":{"type":"Point","coordinates":[8.5,54.5]}}';
        $many = implode(",\n", array_fill(0, 30_000, $feature));
        $texts = [
            "{\"type\":\"FeatureCollection\",\"features\":[$many],\"crs\":{\"type\":\"name\",\"properties\":{\"name\":\"EPSG:32632\"}}}",
            "\xEF\xBB\xBF { \"features\" : [ $many ] , \"crs\":{\"properties\":{\"name\":\"urn:ogc:def:crs:EPSG::32632\"}}, "
                ."\"type\":\"FeatureCollection\", \"x\":[1,{\"features\":[2]}] } \n",
        ];
        foreach ($texts as $text) {
            file_put_contents("$this->folder/many.geojson", $text);
            $file = new GeoJsonFile("$this->folder/many.geojson");
            self::assertSame([32632, 30_000], [$file->epsg(), $file->count]);
            memory_reset_peak_usage();
            $before = memory_get_usage();
            $names = [];
            foreach ($file->features() as $told) {
                $names[(string) $told->at('properties', 'name')->text()] = true;
            }
            self::assertSame(['a "brace" } ] and \\'], array_keys($names));
            self::assertLessThan(8 << 20, memory_get_peak_usage() - $before);
        }
        foreach (
            [
                '{"type":"FeatureCollection","features":[',
                '{"type":"FeatureCollection","features":[]',
                '{"type":"FeatureCollection"}',
                '{"features":7,"type":"FeatureCollection"}',
                '[]',
                '{"type":"Polygon"} x',
                '{"type":"FeatureCollection","features":[]}]',
                '{"type":"FeatureCollection" "features":[]}',
                '',
                "{\0}",
            ] as $broken
        ) {
            file_put_contents("$this->folder/broken.geojson", $broken);
            $this->problem(3, 'broken.geojson is', fn () => iterator_to_array((new GeoJsonFile("$this->folder/broken.geojson"))->features()));
        }
        file_put_contents("$this->folder/large.geojson", '{"type":"Feature","properties":{"x":"'.str_repeat('y', 17 << 20).'"},"geometry":null}');
        $this->problem(3, 'a feature of more than 16 MB', fn () => iterator_to_array((new GeoJsonFile("$this->folder/large.geojson"))->features()));
        file_put_contents("$this->folder/deep.geojson", '{"type":"FeatureCollection","features":['.str_repeat('{"a":', 500).'1'.str_repeat('}', 500).']}');
        $this->problem(3, 'no JSON that can be read', fn () => iterator_to_array((new GeoJsonFile("$this->folder/deep.geojson"))->features()));
    }

    public function test_what_is_told_is_read_as_the_type_that_makes_sense(): void
    {
        $told = UntrustedValue::json('{"a":{"b":[1,"2",null,{"c":"x"}]},"n":1e999,"t":"\u00e4","m":[],"w":4294967296.5}', 'it');
        self::assertSame([1.0, 2.0, null], [$told->at('a', 'b', 0)->number(), $told->at('a', 'b', 1)->number(), $told->at('a', 'b', 3)->number()]);
        self::assertSame(
            [null, null, 'ä', null],
            [$told->at('n')->number(), $told->at('n')->text(), $told->at('t')->text(), $told->at('t', 'deeper', 3)->text()],
        );
        self::assertSame([null, [], ['1', '2']], [$told->at('w')->whole(), $told->at('nothing')->list(), $told->at('a', 'b')->texts()]);
        self::assertSame('Salzwiesen für später', Utf8::of(mb_convert_encoding('Salzwiesen für später', 'Windows-1252', 'UTF-8')));
        $this->problem(3, 'it is no JSON', fn () => UntrustedValue::json(str_repeat('[', 100).str_repeat(']', 100), 'it'));
        self::assertFalse(Grid::makesSense([0.0, 1e-300, 0.0, 0.0, 0.0, 1e-300]));
        self::assertFalse(Grid::makesSense([0.0, 1.0, 1.0, 0.0, 1.0, 1.0]));
        self::assertTrue(Grid::makesSense([8.0, 1e-5, 0.0, 54.0, 0.0, -1e-5]));
    }
}
