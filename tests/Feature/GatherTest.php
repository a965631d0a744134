<?php

namespace Tests\Feature;

use App\Models\Item;
use App\Models\Mark;
use App\Models\Study;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Warped;
use Tests\TestCase;

/** What comes in: files that say what they are, other grids shown in place, the study's area, several images at once. */
class GatherTest extends TestCase
{
    /** @return array<string, mixed> the step */
    private function take(Study $study, string $path): array
    {
        $told = $this->upload($study, $path)->assertStatus(201)->json();

        return $this->step($study, $told['kind'], [$told['kind'] === 'gather.features' ? 'file' : 'image' => ['upload' => $told['upload']]]);
    }

    public function test_a_file_says_what_it_is_before_it_is_taken_in(): void
    {
        $study = $this->study();
        $fixtures = dirname(__DIR__, 2).'/core/tests/fixtures';
        $this->upload($study, $this->image('i.tif', 3, 2, ['red' => range(1, 6), 'nir' => range(1, 6)]))
            ->assertJsonPath('what', 'GeoTIFF')
            ->assertJsonPath('kind', 'gather.image')
            ->assertJsonPath('facts.size', '3 x 2 pixels')
            ->assertJsonPath('facts.crs', 'EPSG:32632 WGS 84 / UTM zone 32N')
            ->assertJsonPath('lacks', ['roles']);
        foreach (['areas.shp', 'areas.dbf', 'areas.prj', 'places.gpkg'] as $name) {
            copy("$fixtures/vector/$name", "$this->folder/$name");
        }
        $this->upload($study, "$this->folder/areas.dbf", "$this->folder/areas.shp", "$this->folder/areas.prj")
            ->assertJsonPath('what', 'shapefile')
            ->assertJsonPath('kind', 'gather.features')
            ->assertJsonPath('facts.kinds', '1 MultiPolygon, 1 Polygon')
            ->assertJsonPath('lacks', []);
        $this->upload($study, "$this->folder/places.gpkg")
            ->assertJsonPath('what', 'GeoPackage')
            ->assertJsonPath('facts.crs', 'EPSG:3035');
        file_put_contents("$this->folder/letter.doc", 'Dear all');
        $this->upload($study, "$this->folder/letter.doc")
            ->assertStatus(422)
            ->assertJsonPath(
                'title',
                'letter.doc is neither a scene bundle (tar, tar.gz, zip) nor an image (GeoTIFF, PNG, JPEG) nor features (GeoJSON, GeoPackage, '
                    .'shapefile) nor a table (CSV) nor any other file that steps make or use.',
            );
        self::assertCount(3, glob($study->folder().'/uploads/*') ?: [], 'what is refused is not kept');
    }

    public function test_an_image_in_another_system_is_shown_in_place(): void
    {
        [$study] = $this->ground();
        self::assertSame(32632, $study->refresh()->epsg);
        $values = array_map(fn (int $i): float => 1000 * intdiv($i, 60) + $i % 60, range(0, 60 * 50 - 1));
        [$x, $y] = Crs::fromGeographic(3035, ...Crs::toGeographic(32632, 431_000.0, 6_072_000.0) ?? [0, 0]) ?? [0, 0];
        $path = $this->raster('far.tif', new RasterSpec(new Grid(60, 50, [floor($x), 20.0, 0.0, floor($y), 0.0, -20.0], 3035), [new Band('red', 'red')]), [
            $values,
        ]);
        $step = $this->take($study, $path);
        $raster = $step['items'][0]['raster'];
        self::assertSame([true, 32632, 3035, 60], [$raster['warped'], $raster['epsg'], $raster['own']['epsg'], $raster['own']['width']]);

        // a tile is the image warped, to the byte
        $item = Item::query()->findOrFail($step['items'][0]['id']);
        $grid = new Grid($raster['width'], $raster['height'], array_map(floatval(...), $raster['transform']), 32632);
        $expected = (new Warped(new GeoTiffImage($item->path), $grid, Resampling::Nearest))->read(0, new Window(0, 0, $grid->width, $grid->height));
        $tile = (string) $this->get("/api/items/$item->id/tiles/0/0/0?bands=1")->assertOk()->getContent();
        for ($row = 0; $row < $grid->height; $row++) {
            self::assertSame(substr($expected, 4 * $row * $grid->width, 4 * $grid->width), substr($tile, 4 * 256 * $row, 4 * $grid->width), "row $row");
        }
        // and a value is that of its own pixel
        [$mapX, $mapY] = Crs::fromGeographic(32632, ...Crs::toGeographic(3035, floor($x) + 20 * 17.5, floor($y) - 20 * 31.5) ?? [0, 0]) ?? [0, 0];
        self::assertSame(
            [[31017.0], null],
            array_map(
                fn (?array $row): ?array => $row === null ? null : array_map(floatval(...), $row),
                $this->getJson("/api/items/$item->id/values?points=$mapX,$mapY;0,0")->json(),
            ),
        );
        // tried where the view is
        $this->postJson("/api/studies/$study->id/trials", [
            'kind' => 'derive.index',
            'inputs' => ['image' => ['step' => $step['id'], 'output' => 'result']],
            'settings' => ['index' => 'ratio', 'nir' => '1', 'red' => '1'],
            'window' => [$mapX - 100, $mapY - 100, $mapX + 100, $mapY + 100],
        ])
            ->assertOk()
            ->assertJsonPath('figures.result.bands.0.mean', 1);
        // a step that needs one grid says so
        $first = $study->steps()->first()?->id;
        $failed = $this->step($study, 'gather.stack', ['images:1' => ['step' => $first], 'images:2' => ['step' => $step['id']]], state: 'failed');
        self::assertStringContainsString('are not on one grid', $failed['problem']);
        $aligned = $this->step($study, 'gather.reproject', ['image' => ['step' => $step['id']], 'align-to' => ['step' => $first]], ['resampling' => 'cubic']);
        self::assertFalse($aligned['items'][0]['raster']['warped']);
        $stack = $this->step($study, 'gather.stack', ['images:1' => ['step' => $first], 'images:2' => ['step' => $aligned['id']]]);
        self::assertCount(3, $stack['items'][0]['raster']['bands']);
        // the first is used: it can't be removed, and made anew the stack is stale
        $this->deleteJson("/api/steps/{$aligned['id']}")->assertStatus(422);
        $this->postJson("/api/steps/{$aligned['id']}/run")->assertStatus(202);
        self::assertSame('stale', collect($this->getJson("/api/studies/$study->id")->json('steps'))->firstWhere('id', $stack['id'])['state']);
    }

    public function test_the_study_s_area_and_steps_kept_to_it(): void
    {
        [$study, $step] = $this->ground();
        $url = "/api/studies/$study->id/area";
        $this->postJson("/api/studies/$study->id/steps", [
            'kind' => 'derive.index',
            'inputs' => ['image' => ['step' => $step['id']]],
            'settings' => ['index' => 'ndvi'],
            'within' => true,
        ])
            ->assertStatus(422)
            ->assertJsonPath('about', 'within');
        // drawn: ten by five pixels
        $ring = [[431_100.0, 6_071_900.0], [431_300.0, 6_071_900.0], [431_300.0, 6_071_800.0], [431_100.0, 6_071_800.0]];
        $area = $this->putJson($url, ['rings' => [$ring]])->assertOk()->json('area');
        self::assertEqualsWithDelta(2.0014, $area['hectares'], 1e-4, 'on the ellipsoid: this far west the plane is smaller');
        self::assertEqualsWithDelta(431_100.0, $area['rings'][0][0][0], 1e-2);
        // looked at while it is being taken away
        $marks = Mark::query()->get();
        Mark::query()->delete();
        $this->getJson("/api/studies/$study->id")->assertOk()->assertJsonPath('area', null);
        Mark::query()->insert($marks->map(fn (Mark $mark): array => $mark->getAttributes())->all());
        $kept = $this->postJson("/api/studies/$study->id/steps", [
            'kind' => 'derive.index',
            'inputs' => ['image' => ['step' => $step['id']]],
            'settings' => ['index' => 'ndwi'],
            'within' => true,
            'run' => true,
        ])
            ->assertStatus(201)
            ->json();
        self::assertSame('done', $kept['state'], (string) $kept['problem']);
        self::assertSame([10, 5], [$kept['items'][0]['raster']['width'], $kept['items'][0]['raster']['height']]);
        // tried, it is the same as run
        $tried = $this->postJson("/api/studies/$study->id/trials", [
            'kind' => 'derive.index',
            'inputs' => ['image' => ['step' => $step['id']]],
            'settings' => ['index' => 'ndwi'],
            'within' => true,
            'window' => [431_000, 6_071_400, 431_800, 6_072_000],
        ])
            ->assertOk()
            ->json();
        self::assertSame(array_diff_key($kept['figures']['result']['bands'][0], ['seconds' => true]), $tried['figures']['result']['bands'][0]);
        self::assertSame([10, 5], [$tried['items'][0]['raster']['width'], $tried['items'][0]['raster']['height']]);
        $cut = $this->step($study, 'gather.subset', ['image' => ['step' => $step['id']], 'area' => ['drawing' => $area['drawing']]]);
        self::assertSame([10, 5], [$cut['items'][0]['raster']['width'], $cut['items'][0]['raster']['height']]);
        // another area makes stale what was kept to it or cut by it, and the same again does not
        $stale = fn (): array => array_column($this->getJson("/api/studies/$study->id")->json('steps'), 'staleBy');
        $this->putJson($url, ['rings' => [array_map(fn (array $place): array => [$place[0] + 20, $place[1]], $ring)]])->assertOk();
        self::assertSame([null, 0, 0], $stale());
        $this->putJson($url, ['rings' => [$ring]])->assertOk();
        self::assertSame([null, null, null], $stale());
        // typed, and from a file taken in
        self::assertEqualsWithDelta([7.9, 54.7, 8.0, 54.8], $this->putJson($url, ['bounds' => [7.9, 54.7, 8.0, 54.8]])->json('area.bounds'), 1e-9);
        foreach (['shp', 'dbf', 'prj'] as $ending) {
            copy(dirname(__DIR__, 2)."/core/tests/fixtures/vector/areas.$ending", "$this->folder/areas.$ending");
        }
        $told = $this->upload($study, "$this->folder/areas.shp", "$this->folder/areas.dbf", "$this->folder/areas.prj")->json();
        $features = $this->step($study, 'gather.features', ['file' => ['upload' => $told['upload']]]);
        self::assertSame('features', $features['items'][0]['type']);
        // two polygons by shapely
        self::assertEqualsWithDelta(
            15.5106,
            $this->putJson($url, ['file' => ['step' => $features['id'], 'output' => 'result']])
                ->assertOk()
                ->json('area.hectares'),
            1e-4,
        );
        // refused with a sentence, and what was there stays
        foreach ([
            [['bounds' => [8, 54, 7, 55]], 'West must be less than east'],
            [['geometry' => ['type' => 'Point', 'coordinates' => [8, 54]]], 'is not a polygon'],
            [['geometry' => ['type' => 'Polygon', 'coordinates' => [[[8, 54], [9, 55], [9, 54], [8, 55]]]]], 'crosses itself'],
            [['geometry' => ['type' => 'Polygon', 'coordinates' => [[[8, 54], [9, 95], [9, 54]]]]], 'has invalid coordinates'],
            [['geometry' => ['type' => 'Polygon', 'coordinates' => [[[8, 54], [9, 54]]]]], 'three corners'],
            [[], 'Give the area'],
        ] as [$body, $part]) {
            self::assertStringContainsString($part, $this->putJson($url, $body)->assertStatus(422)->json('title'));
        }
        $this->getJson("/api/studies/$study->id")->assertJsonPath('area.drawing', $area['drawing']);
        $this->deleteJson($url)->assertOk()->assertJsonPath('area', null);
    }

    public function test_mosaics_take_many_in_their_order(): void
    {
        [$study, $step] = $this->ground();
        $other = $this->take($study, $this->image('other.tif', 40, 30, ['red' => array_fill(0, 1200, 9.0), 'nir' => array_fill(0, 1200, 9.0)]));
        $first = $this->step($study, 'gather.mosaic', ['images:1' => ['step' => $other['id']], 'images:2' => ['step' => $step['id']]]);
        self::assertEquals(9.0, $first['figures']['result']['bands'][0]['mean']);
        $last = $this->step($study, 'gather.mosaic', ['images:1' => ['step' => $other['id']], 'images:2' => ['step' => $step['id']]], ['overlap' => 'last']);
        self::assertNotEquals(9.0, $last['figures']['result']['bands'][0]['mean']);
        $this->postJson("/api/studies/$study->id/steps", ['kind' => 'gather.mosaic', 'inputs' => []])->assertStatus(422)->assertJsonPath('about', 'images');
        $this->postJson("/api/studies/$study->id/steps", ['kind' => 'derive.index', 'inputs' => ['image:2' => ['step' => $step['id']]]])->assertStatus(422);
    }

    public function test_archives_that_are_none(): void
    {
        $this->getJson('/api/archives')->assertJsonPath('0.address', 'stand-in');
        $this->postJson('/api/archives', ['address' => 'ftp://nowhere'])->assertStatus(422);
        self::assertStringContainsString(
            'does not answer',
            $this->postJson('/api/archives', ['address' => 'http://127.0.0.1:1'])
                ->assertStatus(422)
                ->json('title'),
        );
        $this->postJson('/api/archives/search', ['archive' => 'http://127.0.0.1:1/unknown'])
            ->assertStatus(422)
            ->assertJsonPath('about', 'archive');
        $this->postJson('/api/archives/search', ['archive' => 'stand-in', 'from' => 'soon'])->assertStatus(422);
        $this->getJson('/api/archives')->assertJsonCount(1);
        // an order from an archive that was never added is not run
        $step = $this->step($this->study(), 'gather.order', [], ['archive' => 'http://127.0.0.1:1/x', 'collection' => 'a', 'scene' => 'b'], 'failed');
        self::assertStringContainsString('is not known: add it on the archive screen', $step['problem']);
    }

    public function test_the_stand_in_speaks_the_stac_api(): void
    {
        $base = '/standin/archive';
        $this->putJson("$base/behaviour", ['busy' => 0, 'torn' => 2, 'rate' => 100_000_000, 'pause' => 0])->assertOk();
        $landing = $this->getJson($base)->assertOk()->json();
        self::assertContains('https://api.stacspec.org/v1.0.0/item-search', $landing['conformsTo']);
        self::assertCount(6, $this->getJson("$base/collections")->json('collections'));
        $page = $this->postJson("$base/search", ['collections' => ['velisande-level1'], 'limit' => 5])->assertOk()->json();
        self::assertSame([5, 18], [count($page['features']), $page['numberMatched']]);
        $next = collect($page['links'])->firstWhere('rel', 'next');
        self::assertSame(['POST', true], [$next['method'], $next['merge']]);
        $second = $this->postJson("$base/search", $next['body'] + ['collections' => ['velisande-level1'], 'limit' => 5])->json();
        self::assertSame([], array_intersect(array_column($page['features'], 'id'), array_column($second['features'], 'id')));
        $all = $this->getJson("$base/search?limit=12")->json('numberMatched');
        self::assertSame(43, $all);
        self::assertLessThan(43, $this->postJson("$base/search", ['query' => ['eo:cloud_cover' => ['lte' => 10]]])->json('numberMatched'));
        self::assertSame(0, $this->postJson("$base/search", ['bbox' => [20, 10, 21, 11]])->json('numberMatched'));
        self::assertSame(1, $this->postJson("$base/search", ['datetime' => '2031-05-12T00:00:00Z/2031-05-12T23:59:59Z'])->json('numberMatched'));
        // every footprint is a ring that goes round counter-clockwise or not, closed
        foreach ($second['features'] as $item) {
            $ring = $item['geometry']['coordinates'][0];
            self::assertSame($ring[0], end($ring));
            self::assertSame('orderable', $item['properties']['order:status']);
        }

        // ordered, made, and handed out with its checksum; every second download breaks off
        $id = 'HOLLIN_20311119';
        $this->postJson("$base/orders/$id")->assertStatus(201);
        $item = $this->getJson("$base/collections/hollin-photos/items/$id")->assertOk()->json();
        self::assertSame('succeeded', $item['properties']['order:status']);
        $asset = $item['assets']['photo'];
        $path = parse_url($asset['href'], PHP_URL_PATH);
        $whole = $this->get($path)->streamedContent();
        self::assertSame([$asset['file:size'], $asset['file:checksum']], [strlen($whole), '1220'.hash('sha256', $whole)]);
        self::assertLessThan($asset['file:size'], strlen($this->get($path)->streamedContent()), 'the second breaks off');
        self::assertSame(substr($whole, 1000), $this->get($path, ['Range' => 'bytes=1000-'])->assertStatus(206)->streamedContent());
        file_put_contents("$this->folder/photo.tif", $whole);
        $spec = (new GeoTiffImage("$this->folder/photo.tif"))->spec();
        self::assertSame([1600, 1200, 25832, 0.5], [$spec->grid->width, $spec->grid->height, $spec->grid->epsg, $spec->grid->transform[1]]);
        $this->getJson("$base/collections/hollin-photos/items/none")->assertStatus(404);
        $this->putJson("$base/behaviour", ['busy' => 1]);
        $this->postJson("$base/search", [])->assertStatus(503);
    }
}
