<?php

namespace Chorometra\Core\Tests\Cli;

use Chorometra\Core\Tests\TestCase;

/** bin/chorometra as a person calls it. */
final class CommandTest extends TestCase
{
    /**
     * @param  list<string>  $arguments
     * @return array{int, string, string} status, standard output, standard error
     */
    private function call(array $arguments): array
    {
        $process = proc_open([dirname(__DIR__, 3).'/bin/chorometra', ...$arguments], [1 => ['pipe', 'w'], 2 => ['pipe', 'w']], $pipes, $this->folder);
        self::assertIsResource($process);
        $out = (string) stream_get_contents($pipes[1]);
        $error = (string) stream_get_contents($pipes[2]);

        return [proc_close($process), $out, $error];
    }

    public function test_steps_and_describe(): void
    {
        [$status, $out] = $this->call(['steps', '--json']);
        self::assertSame(0, $status);
        self::assertContains('segment.slice', array_column(json_decode($out, true), 'id'));
        [$status, $out] = $this->call(['describe', 'segment.slice', '--json']);
        $kind = json_decode($out, true);
        self::assertSame([0, ['segments', 'classes']], [$status, array_column($kind['outputs'], 'name')]);
        self::assertContains('minimum', array_column($kind['settings'], 'name'));
        [$status, $out] = $this->call(['describe', 'derive.index']);
        self::assertStringContainsString('ndwi: water index, (green - nir) / (green + nir)', $out);
    }

    public function test_help_version_and_numbered_inputs(): void
    {
        self::assertMatchesRegularExpression('/^Chorometra \d+\.\d+\.\d+$/', trim($this->call(['--version'])[1]));
        self::assertSame($this->call(['describe', 'derive.index'])[1], $this->call(['run', 'derive.index', '--help'])[1]);
        $one = $this->image('one.tif', 2, 1, ['red' => [1, 2]]);
        $two = $this->image('two.tif', 2, 1, ['nir' => [3, 4]]);
        $out = "$this->folder/s.tif";
        [$status, , $error] = $this->call(['run', 'gather.stack', '--in', "images:2=$one", '--in', "images:1=$two", '--out', "result=$out"]);
        self::assertSame([0, ''], [$status, $error]);
        self::assertSame([3.0, 4.0], self::pixels($out));
    }

    public function test_a_share_where_per_cent_are_asked_for_is_told(): void
    {
        $map = $this->classes('m.tif', 4, 4, array_fill(0, 16, 1), ['sand']);
        foreach (['0.5' => 'width is 0.5 %: for a share of 0.5 type 50%.', '5' => '', '0.5%' => ''] as $width => $told) {
            [$status, , $error] = $this->call(['run', 'assess.size', '--in', "map=$map", '--set', "width=$width", '--out', "result=$this->folder/s.csv"]);
            self::assertSame([0, $told], [$status, trim($error)]);
        }
    }

    public function test_inspect_tells_what_a_file_holds(): void
    {
        $path = $this->image('i.tif', 3, 2, ['red' => [1, 2, 3, 4, 5, 6], 'nir' => [1, 2, 3, 4, 5, 6]]);
        [$status, $out] = $this->call(['inspect', $path, '--json']);
        $facts = json_decode($out, true);
        self::assertSame(0, $status);
        self::assertSame(
            [
                'width' => 3,
                'height' => 2,
                'bands' => 2,
                'type' => 'Float32',
                'nodata' => 'nan',
                'epsg' => 32632,
                'transform' => [431000.0, 20.0, 0.0, 6072000.0, 0.0, -20.0],
            ],
            array_intersect_key($facts, array_flip(['width', 'height', 'bands', 'type', 'nodata', 'epsg', 'transform'])),
        );
    }

    public function test_inspect_says_of_every_file_what_it_is(): void
    {
        $vector = dirname(__DIR__).'/fixtures/vector';
        foreach ([
            "$vector/areas.shp" => ['shapefile', 'gather.features', null],
            "$vector/tracks.shp" => ['shapefile', 'gather.features', ['crs']],
            "$vector/places.gpkg" => ['GeoPackage', 'gather.features', null],
            dirname(__DIR__).'/fixtures/tiff/complex64_strip.tif' => ['GeoTIFF of complex samples', 'gather.image', ['crs', 'roles']],
        ] as $path => $expected) {
            [$status, $out] = $this->call(['inspect', $path, '--json']);
            $facts = json_decode($out, true);
            self::assertSame([0, ...$expected], [$status, $facts['what'], $facts['taken-in-by'], $facts['lacks']]);
        }
        mkdir("$this->folder/scene");
        $this->image('scene/B3.tif', 2, 1, ['red' => [1, 2]]);
        file_put_contents(
            "$this->folder/scene/M.txt",
            "SPACECRAFT = VELISANDE-1\nINSTRUMENT = QUILLON\nSENSED_DATE = 2031-05-12\nBAND_3_FILE = B3.tif\nBAND_8_FILE = B8.tif",
        );
        [$status, $out] = $this->call(['inspect', "$this->folder/scene", '--json']);
        self::assertSame(
            [
                0,
                [
                    'what' => 'scene bundle',
                    'taken-in-by' => 'gather.bundle',
                    'sensor' => 'Velisande-1 Quillon',
                    'date' => '2031-05-12',
                    'sun elevation' => null,
                    'groups' => ['multispectral' => 'red'],
                    'missing' => 'B8.tif',
                    'files' => ['B3.tif'],
                    'lacks' => null,
                ],
            ],
            [$status, json_decode($out, true)],
        );
        file_put_contents("$this->folder/letter.doc", 'Dear all');
        [$status, , $error] = $this->call(['inspect', "$this->folder/letter.doc"]);
        self::assertSame(3, $status);
        self::assertStringContainsString('letter.doc is neither a scene bundle', $error);
    }

    public function test_several_inputs_and_a_step_kept_to_an_area(): void
    {
        $a = $this->image('a.tif', 40, 30, ['red' => array_fill(0, 1200, 0.25), 'nir' => array_fill(0, 1200, 0.75)]);
        $b = $this->image('b.tif', 40, 30, ['swir1' => array_fill(0, 1200, 0.5)]);
        self::assertSame([0, '', ''], $this->call(['run', 'gather.stack', '--in', "images=$a,$b", '--out', 'result=one.tif', '--quiet']));
        self::assertSame([0, '', ''], $this->call(['run', 'gather.stack', '--in', "images=$a", '--in', "images=$b", '--out', 'result=two.tif', '--quiet']));
        self::assertSame(md5_file("$this->folder/one.tif"), md5_file("$this->folder/two.tif"));
        $area = dirname(__DIR__).'/fixtures/vector/areas.shp';
        [$status, $out, $error] = $this->call([
            'run',
            'derive.index',
            '--in',
            "image=$a",
            '--within',
            $area,
            '--out',
            'result=v.tif',
            '--report',
            '-',
            '--quiet',
        ]);
        self::assertSame([0, ''], [$status, $error]);
        // 350 pixels in the ring with its hole and 13 in the triangle, the rest of the box is nodata
        $figures = json_decode($out, true)['result']['bands'][0];
        self::assertSame(35 * 25, $figures['pixels'] + $figures['nodata']);
        self::assertSame(350 + 13, $figures['pixels']);
        self::assertEqualsWithDelta(0.5, $figures['mean'], 1e-6);
        [$status, , $error] = $this->call(['run', 'derive.index', '--in', "image=$a", '--within', 'none.geojson', '--out', 'result=v.tif']);
        self::assertSame([3, "The area file none.geojson does not exist.\n"], [$status, $error]);
    }

    public function test_run_with_report_and_exit_status(): void
    {
        $image = $this->image('i.tif', 2, 1, ['red' => [0.1, 0.2], 'nir' => [0.3, 0.6]]);
        [$status, $out, $error] = $this->call([
            'run',
            'derive.index',
            '--in',
            "image=$image",
            '--set',
            'index=ndvi',
            '--out',
            'result=v.tif',
            '--report',
            '-',
            '--workers',
            '1',
            '--quiet',
        ]);
        self::assertSame([0, ''], [$status, $error]);
        self::assertEqualsWithDelta(0.5, json_decode($out, true)['result']['bands'][0]['mean'], 1e-6);
        self::assertClose([0.5, 0.5], self::pixels("$this->folder/v.tif"), 1e-6);

        foreach ([
            [2, 'Unknown kind of step “derive.magic”', ['run', 'derive.magic']],
            [2, 'has no setting “colour”', ['run', 'derive.index', '--in', "image=$image", '--set', 'colour=red', '--out', 'result=v.tif']],
            [2, 'The input image is missing', ['run', 'derive.index', '--out', 'result=v.tif']],
            [2, 'The output result is missing', ['run', 'derive.index', '--in', "image=$image"]],
            [2, 'it can be ratio, ndvi', ['run', 'derive.index', '--in', "image=$image", '--set', 'index=best', '--out', 'result=v.tif']],
            [2, '--set expects NAME=VALUE', ['run', 'derive.index', '--set', 'index']],
            [2, 'Unknown command', ['ran']],
            [2, '--workers expects a whole number', ['run', 'derive.index', '--workers', 'all']],
            [3, 'There is no file none.tif', ['run', 'derive.index', '--in', 'image=none.tif', '--out', 'result=w.tif']],
            [3, 'has no band swir1', ['run', 'derive.index', '--in', "image=$image", '--set', 'index=ndbi', '--out', 'result=w.tif']],
            [1, "can't be made: check the permission", ['run', 'derive.index', '--in', "image=$image", '--out', 'result=/proc/nowhere/w.tif']],
        ] as [$expected, $part, $arguments]) {
            [$status, $out, $error] = $this->call($arguments);
            self::assertSame([$expected, ''], [$status, $out], $error);
            self::assertStringContainsString($part, $error);
            self::assertSame(1, substr_count(trim($error), "\n") + 1, 'one sentence');
        }
        self::assertFileDoesNotExist("$this->folder/w.tif");
    }

    public function test_ending_it_leaves_nothing(): void
    {
        $image = $this->image('i.tif', 512, 2048, ['red' => array_fill(0, 1 << 20, 0.1), 'nir' => array_fill(0, 1 << 20, 0.4)]);
        $process = proc_open(
            [dirname(__DIR__, 3).'/bin/chorometra', 'run', 'derive.index', '--in', "image=$image", '--out', 'result=v.tif'],
            [2 => ['pipe', 'w']],
            $pipes,
            $this->folder,
            ['TMPDIR' => $this->folder, 'PATH' => (string) getenv('PATH')],
        );
        self::assertIsResource($process);
        $pid = proc_get_status($process)['pid'];
        // as soon as it works in a folder of its own
        while (proc_get_status($process)['running'] && glob("$this->folder/chorometra-*/*") === []) {
            usleep(1000);
        }
        posix_kill($pid, SIGTERM);
        $error = (string) stream_get_contents($pipes[2]);
        proc_close($process);
        self::assertStringContainsString('Stopped; nothing was changed.', $error);
        self::assertEqualsCanonicalizing(
            ['i.tif', 'i.stac.json'],
            array_values(
                array_filter(
                    scandir($this->folder) ?: [],
                    fn (string $name): bool => str_starts_with($name, 'i.') || str_starts_with($name, 'v.') || preg_match('/^chorometra-\d/', $name) === 1,
                ),
            ),
        );
    }
}
