<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Stac\Sidecar;
use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Footprint;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Files;

final class FilesTest extends TestCase
{
    public function test_a_file_appears_whole_or_not_at_all(): void
    {
        $path = "$this->folder/a/b/text.txt";
        Files::write($path, 'first');
        self::assertSame('first', file_get_contents($path));
        try {
            Files::replace($path, function ($handle, string $path): void {
                Files::put($handle, 'half of the sec', $path);
                throw Problem::computation('Something broke.');
            });
            self::fail('The problem was swallowed.');
        } catch (Problem) {
            self::assertSame('first', file_get_contents($path));
            self::assertSame(['text.txt'], array_values(array_diff(scandir(dirname($path)) ?: [], ['.', '..'])));
        }
        $this->problem(1, "can't be made", fn () => Files::write("$path/below/a/file.txt", 'x'));
    }

    public function test_folders_are_moved_and_removed_whole_and_links_are_not_followed(): void
    {
        Files::write("$this->folder/kept/file.txt", 'x');
        Files::write("$this->folder/from/one.txt", '1');
        symlink("$this->folder/kept", "$this->folder/from/link");
        Files::moveFolder("$this->folder/from", "$this->folder/to");
        self::assertFileExists("$this->folder/to/one.txt");
        Files::write("$this->folder/more/two.txt", '2');
        Files::moveFolder("$this->folder/more", "$this->folder/to");
        self::assertFileExists("$this->folder/to/one.txt");
        self::assertFileExists("$this->folder/to/two.txt");
        Files::remove("$this->folder/to");
        self::assertFileDoesNotExist("$this->folder/to");
        self::assertFileExists("$this->folder/kept/file.txt");
    }

    public function test_the_sidecar_is_a_stac_item_that_brings_everything_back(): void
    {
        $bands = [
            new Band('swir1', 'short wave', 1.612, 0.09, 'counts', ['reflectance_gain' => 2.5e-5]),
            new Band('thermal1', 'heat', 10.9, null, 'K'),
            new Band(),
        ];
        $path = $this->raster(
            's.tif',
            new RasterSpec(self::grid(4, 3), $bands, properties: ['datetime' => '2031-05-12T10:41:22Z', 'view:sun_elevation' => 52.4]),
            array_fill(0, 3, array_fill(0, 12, 1.0)),
        );
        $spec = (new GeoTiffImage($path))->spec();
        self::assertEquals([$bands[0], $bands[1]], [$spec->bands[0], $spec->bands[1]]);
        self::assertSame(['datetime' => '2031-05-12T10:41:22Z', 'view:sun_elevation' => 52.4], $spec->properties);
        $item = json_decode((string) file_get_contents(Sidecar::path($path)), true);
        self::assertSame(
            ['Feature', '1.0.0', 's', './s.tif', 32632, [3, 4]],
            [
                $item['type'],
                $item['stac_version'],
                $item['id'],
                $item['assets']['data']['href'],
                $item['properties']['proj:epsg'],
                $item['properties']['proj:shape'],
            ],
        );
        self::assertEquals([20, 0, 431000, 0, -20, 6072000], $item['properties']['proj:transform']);
        self::assertSame(['swir16', 'lwir11'], array_column($item['assets']['data']['eo:bands'], 'common_name'));
        // the outline runs counter-clockwise, as GeoJSON wants it, and lies where libgeotiff has it
        [$west, $south, $east, $north] = $item['bbox'];
        self::assertEqualsWithDelta([7.926908, 54.790439], [$west, $north], 1e-4);
        $ring = $item['geometry']['coordinates'][0];
        self::assertSame($ring[0], $ring[4]);
        self::assertGreaterThan($ring[1][1], $ring[0][1]);
        // a sidecar of other bands, or none that can be read, changes nothing
        foreach (['{"assets":{"data":{"eo:bands":[{"name":"1"}]}}}', 'no json', '{"assets":7}'] as $text) {
            file_put_contents(Sidecar::path($path), $text);
            self::assertNull((new GeoTiffImage($path))->spec()->bands[0]->role);
        }
    }

    public function test_what_has_no_date_is_not_dated_by_the_run(): void
    {
        $path = $this->image('s.tif', 2, 1, ['red' => [1.0, 2.0]]);
        $told = json_decode((string) file_get_contents(Sidecar::path($path)), true)['properties'];
        self::assertNull($told['datetime']);
        self::assertArrayNotHasKey('start_datetime', $told);
        self::assertEqualsWithDelta(time(), strtotime($told['created']), 60);
        self::assertSame([], (new GeoTiffImage($path))->spec()->properties, 'when the file was made is no date of what it shows');
        $other = $this->image('t.tif', 2, 1, ['red' => [1.0, 2.0]], ['datetime' => '2031-05-12T10:41:22Z']);
        $third = $this->image('u.tif', 2, 1, ['red' => [1.0, 2.0]], ['datetime' => '2029-05-12T10:41:22Z']);
        $this->compute('gather.mosaic', ['images:1' => $other, 'images:2' => $third], [], ['result' => "$this->folder/m.tif"]);
        $told = json_decode((string) file_get_contents(Sidecar::path("$this->folder/m.tif")), true)['properties'];
        self::assertSame([null, '2029-05-12T10:41:22Z', '2031-05-12T10:41:22Z'], [$told['datetime'], $told['start_datetime'], $told['end_datetime']]);
        self::assertSame('2029-05-12T10:41:22Z', (new GeoTiffImage("$this->folder/m.tif"))->spec()->properties['start_datetime']);
    }

    public function test_outlines_across_180_degrees_and_around_the_poles(): void
    {
        // RFC 7946, 5.2 and 5.3: a box across 180° has its west above its east, one around a pole goes all the way round
        $box = fn (Grid $grid): ?array => Footprint::of($grid)['bbox'] ?? null;
        $fiji = Footprint::of(new Grid(100, 80, [177.0, 0.05, 0.0, -16.0, 0.0, -0.05], 4326));
        self::assertNotNull($fiji);
        self::assertEquals([177.0, -20.0, -178.0, -16.0], $fiji['bbox']);
        self::assertSame('MultiPolygon', $fiji['geometry']['type']);
        $area = 0.0;
        foreach ($fiji['geometry']['coordinates'] as [$ring]) {
            self::assertSame($ring[0], end($ring));
            self::assertGreaterThanOrEqual(-180.0, min(array_column($ring, 0)));
            self::assertLessThanOrEqual(180.0, max(array_column($ring, 0)));
            for ($k = 1; $k < count($ring); $k++) {
                $area += 0.5 * ($ring[$k - 1][0] * $ring[$k][1] - $ring[$k][0] * $ring[$k - 1][1]);
            }
        }
        self::assertEqualsWithDelta(20.0, $area, 1e-5, 'both counter-clockwise, and no more than the whole');
        // the same in UTM, and in longitudes from 0 to 360
        [$west, , $east] = $box(new Grid(100, 100, [800_000.0, 2_000.0, 0.0, 8_200_000.0, 0.0, -2_000.0], 32760)) ?? [0, 0, 0];
        self::assertSame([true, true], [$west > 179, $east < -178]);
        self::assertEquals([177.0, -20.0, -178.0, -16.0], $box(new Grid(100, 80, [177.0 + 360.0, 0.05, 0.0, -16.0, 0.0, -0.05], 4326)));
        foreach ([[3413, 90.0], [3031, -90.0]] as [$epsg, $pole]) {
            $polar = Footprint::of(new Grid(100, 100, [-1_000_000.0, 20_000.0, 0.0, 1_000_000.0, 0.0, -20_000.0], $epsg));
            self::assertNotNull($polar);
            self::assertSame([-180.0, 180.0, $pole], [$polar['bbox'][0], $polar['bbox'][2], $polar['bbox'][$pole > 0 ? 3 : 1]]);
            self::assertEqualsWithDelta(77.0, abs($polar['bbox'][$pole > 0 ? 1 : 3]), 1.0, 'the corners, some 1400 km from the pole');
        }
        self::assertNull(Footprint::of(new Grid(3, 3)));
    }

    public function test_geojson_of_many_features_is_written_and_read(): void
    {
        $features = function (): iterable {
            for ($i = 0; $i < 500; $i++) {
                yield ['type' => 'Feature', 'geometry' => ['type' => 'Point', 'coordinates' => [8 + $i / 1000, 54.5]], 'properties' => ['number' => $i]];
            }
        };
        Vectors::write("$this->folder/p.geojson", $features());
        $read = GeoJson::all("$this->folder/p.geojson");
        self::assertSame([4326, 500, 499], [$read['epsg'], count($read['features']), $read['features'][499]['properties']['number']]);
        Vectors::write("$this->folder/m.geojson", [], 32632);
        self::assertSame(32632, GeoJson::all("$this->folder/m.geojson")['epsg']);
        self::assertEqualsWithDelta([431000.0, 6072000.0], GeoJson::toMap(7.9269083, 54.7904389, 4326, 32632, 'x'), 1.0);
        $this->problem(3, "can't be opened", fn () => GeoJson::all("$this->folder/none.geojson"));
    }
}
