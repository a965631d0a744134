<?php

namespace Chorometra\Core\Tests\Gather;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Stac\Api;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** The STAC client against a server with bad manners (fixtures/stac/server.php). */
final class OrderTest extends TestCase
{
    /** @var resource */
    private $server;

    private string $url;

    protected function setUp(): void
    {
        parent::setUp();
        mkdir("$this->folder/files");
        mkdir("$this->folder/state");
        foreach (['B3' => 4000, 'B4' => 8000] as $name => $value) {
            $this->raster("files/x_$name.tif", new RasterSpec(self::grid(64, 64), [new Band()], SampleType::UInt16, null), [
                array_map(fn (int $i): int => $value + (($i * 7919) % 997), range(0, 64 * 64 - 1)),
            ]);
            unlink("$this->folder/files/x_$name.stac.json");
        }
        file_put_contents(
            "$this->folder/files/M.txt",
            "SPACECRAFT = VELISANDE-1\nINSTRUMENT = QUILLON\nSENSED_DATE = 2031-05-12\nBAND_3_FILE = x_B3.tif\nBAND_4_FILE = x_B4.tif",
        );
        self::shell(['tar', '-C', "$this->folder/files", '-czf', "$this->folder/files/scene.tar.gz", 'x_B3.tif', 'x_B4.tif', 'M.txt']);
        $socket = stream_socket_server('tcp://127.0.0.1:0');
        self::assertIsResource($socket);
        $address = (string) stream_socket_get_name($socket, false);
        fclose($socket);
        $this->url = "http://$address";
        $server = proc_open(
            [PHP_BINARY, '-S', $address, __DIR__.'/../fixtures/stac/server.php'],
            [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']],
            $pipes,
            null,
            ['FILES' => "$this->folder/files", 'STATE' => "$this->folder/state", 'PHP_CLI_SERVER_WORKERS' => '1'] + getenv(),
        );
        self::assertIsResource($server);
        $this->server = $server;
        for ($i = 0; $i < 500 && ! is_resource(@fsockopen(...explode(':', $address))); $i++) {
            usleep(20_000);
        }
    }

    protected function tearDown(): void
    {
        proc_terminate($this->server);
        proc_close($this->server);
        parent::tearDown();
    }

    /**
     * @param  array<string, mixed>  $more
     * @return array<string, mixed>
     */
    private function order(string $manner, string $scene, array $more = [], ?Context $context = null): array
    {
        return $this->compute(
            'gather.order',
            [],
            ['archive' => "$this->url/$manner", 'collection' => 'optical', 'scene' => $scene] + $more,
            ['result' => "$this->folder/out"],
            $context,
        );
    }

    /** @return list<string|null> */
    private function roles(string $file = 'multispectral'): array
    {
        return array_map(fn (Band $band): ?string => $band->role, (new GeoTiffImage("$this->folder/out/$file.tif"))->spec()->bands);
    }

    public function test_pages_are_followed_and_what_is_asked_for_is_sent(): void
    {
        $api = new Api("$this->url/good/");
        self::assertSame(
            ['title' => 'Test archive', 'collections' => [['id' => 'optical', 'title' => 'Optical'], ['id' => 'radar', 'title' => 'radar']]],
            $api->about(),
        );
        ['items' => $items, 'more' => $more] = $api->search(['optical'], [7.9, 54.5, 8.2, 54.8], '2031-01-01', null, 20.0);
        // clouds beyond the limit are left out here too, items that tell none stay
        self::assertSame(['S1', 'T1', 'S2', 'T2', 'T3'], array_column($items, 'id'));
        self::assertFalse($more);
        self::assertEquals(
            [
                'collections' => ['optical'],
                'bbox' => [7.9, 54.5, 8.2, 54.8],
                'datetime' => '2031-01-01T00:00:00Z/..',
                'limit' => 100,
                'query' => ['eo:cloud_cover' => ['lte' => 20.0]],
                'token' => 3,
            ],
            json_decode((string) file_get_contents("$this->folder/state/query"), true),
        );
        ['items' => $items, 'more' => $more] = $api->search(most: 3);
        self::assertSame([3, true], [count($items), $more]);
    }

    public function test_archives_that_answer_nonsense(): void
    {
        $this->problem(3, 'answers with something other than JSON: is this the address of a STAC API?', fn () => (new Api("$this->url/nonsense"))->about());
        $this->problem(3, 'answers with something other than JSON', fn () => (new Api("$this->url/cut"))->about());
        $this->problem(3, 'answers with something that is no STAC Item.', fn () => (new Api("$this->url/odd"))->search());
        $this->problem(2, 'is no address', fn () => (new Api('file:///etc/passwd'))->about());
        $this->problem(3, 'does not answer', fn () => (new Api('http://127.0.0.1:1'))->about());
        $this->problem(3, 'refuses the request (status 404: there is no such item).', fn () => $this->order('good', 'none'));
        $this->problem(3, 'could not prepare lost (its order is failed)', fn () => $this->order('good', 'lost'));
        self::assertFileDoesNotExist("$this->folder/out");
    }

    public function test_a_scene_comes_whole_over_a_bad_line(): void
    {
        $told = [];
        $figures = $this->order('torn', 'S1', [], new Context(2, $this->folder, function (float $share, string $doing) use (&$told): void {
            $told[] = $doing;
        }));
        self::assertSame(['red', 'nir'], $this->roles());
        // it went on from where it broke off, twice
        $ranges = file("$this->folder/state/ranges", FILE_IGNORE_NEW_LINES) ?: [];
        self::assertCount(3, $ranges);
        self::assertSame('whole', $ranges[0]);
        self::assertMatchesRegularExpression('/^bytes=[1-9]\d*-$/', $ranges[1]);
        self::assertGreaterThan((int) substr($ranges[1], 6), (int) substr($ranges[2], 6));
        self::assertCount(2, $figures['on-the-way']);
        self::assertNotEmpty(array_filter($told, fn (string $doing): bool => str_contains($doing, 'try 2 in')));
        self::assertSame([], glob("$this->folder/chorometra-kept/*"), 'what was fetched goes once it is taken in');
    }

    public function test_what_was_fetched_is_kept_for_the_next_try(): void
    {
        $half = null;
        $context = new Context(2, $this->folder, null, function () use (&$half): bool {
            $half = glob("$this->folder/chorometra-kept/*.part")[0] ?? null;
            clearstatcache();

            // stopped in the pause after it broke off
            return $half !== null && filesize($half) > 0 && (int) @file_get_contents("$this->folder/state/torn-scene.tar.gz") === 1;
        });
        try {
            $this->order('torn', 'S1', [], $context);
            self::fail('It was not stopped.');
        } catch (\Chorometra\Core\Stopped) {
            self::assertFileExists((string) $half);
        }
        $figures = $this->order('good', 'S1');
        self::assertSame(['red', 'nir'], $this->roles());
        // another address is another file: the half of the torn one waits for its own
        self::assertNull($figures['on-the-way']);
        $figures = $this->order('torn', 'S1');
        self::assertStringContainsString('went on from', $figures['on-the-way'][0]);
    }

    public function test_wrong_checksums_and_sizes(): void
    {
        $stop = false;
        $context = new Context(2, $this->folder, function (float $share, string $doing) use (&$stop): void {
            $stop = $stop || str_contains($doing, 'does not match its checksum; try 3');
        }, function () use (&$stop): bool {
            return $stop;
        });
        try {
            $this->order('wrong', 'S1', [], $context);
            self::fail('It was taken.');
        } catch (\Chorometra\Core\Stopped) {
            self::assertSame([], glob("$this->folder/chorometra-kept/*"), 'a broken file is not kept');
        }
        $this->problem(3, 'sends more than the', fn () => $this->order('more', 'S1'));
        self::assertFileDoesNotExist("$this->folder/out");
    }

    public function test_scenes_that_have_to_be_ordered_and_archives_that_are_busy(): void
    {
        $this->order('good', 'slow');
        self::assertSame(['red', 'nir'], $this->roles());
        self::assertSame('1', file_get_contents("$this->folder/state/ordered"));
        $this->order('busy', 'S1');
        self::assertSame('4', file_get_contents("$this->folder/state/busy"), 'asked again until it answered');
        self::assertSame(['red', 'nir'], $this->roles());
    }

    public function test_bands_one_by_one_and_single_images(): void
    {
        $this->order('good', 'bands');
        self::assertSame(['red', 'nir'], $this->roles());
        self::assertSame(4000.0, self::pixels("$this->folder/out/multispectral.tif")[0]);
        $this->order('good', 'radar');
        self::assertSame(['vv'], $this->roles('image'));
        self::assertSame('2032-01-02T00:00:00Z', (new GeoTiffImage("$this->folder/out/image.tif"))->spec()->properties['datetime']);
        // what the archive told stays with it, and which step made it
        self::assertSame(['VV'], (new GeoTiffImage("$this->folder/out/image.tif"))->spec()->properties['sar:polarizations']);
        self::assertSame(
            'gather.image',
            json_decode((string) file_get_contents("$this->folder/out/image.stac.json"), true)['properties']['chorometra:made']['kind'],
        );
    }
}
