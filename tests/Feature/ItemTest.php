<?php

namespace Tests\Feature;

use Tests\TestCase;

class ItemTest extends TestCase
{
    public function test_a_tile_is_raw_values_of_the_bands_asked_for(): void
    {
        [, $ground] = $this->ground(300, 280);
        $item = self::itemOf($ground);
        $tile = $this->get("/api/items/$item/tiles/0/1/1?bands=2,1")->assertOk()->assertHeader('Content-Type', 'application/octet-stream');
        $values = array_values((array) unpack('g*', (string) $tile->getContent()));
        self::assertCount(2 * 256 * 256, $values);
        // 44 x 24 pixels of the image, then nodata to the right and below
        self::assertEqualsWithDelta([0.30, 0.30], [$values[0], $values[23 * 256 + 43]], 1e-6);
        self::assertNan($values[44]);
        self::assertNan($values[24 * 256]);
        self::assertEqualsWithDelta(0.06, $values[256 * 256], 1e-6);
        $tag = (string) $tile->headers->get('ETag');
        self::assertStringContainsString('immutable', (string) $tile->headers->get('Cache-Control'));
        $this->get("/api/items/$item/tiles/0/1/1?bands=2,1", ['If-None-Match' => $tag])->assertStatus(304)->assertContent('');
        // packed, a browser gets each band as it lies in the file
        $packed = (string) $this->get("/api/items/$item/tiles/0/1/1?bands=2,1&packed=yes")->assertOk()->getContent();
        $length = (int) unpack('V', $packed)[1];
        $streams = [substr($packed, 4, $length), substr($packed, 8 + $length)];
        self::assertSame((string) $tile->getContent(), implode('', array_map(gzuncompress(...), $streams)));
        // the overview holds means: water, land
        $half = array_values((array) unpack('g*', (string) $this->get("/api/items/$item/tiles/1/0/0?bands=2")->assertOk()->getContent()));
        self::assertEqualsWithDelta([0.02, 0.30], [$half[50 * 256 + 10], $half[50 * 256 + 100]], 1e-6);
    }

    public function test_tiles_that_are_not_there(): void
    {
        [, $ground] = $this->ground();
        $item = self::itemOf($ground);
        self::says($this->getJson("/api/items/$item/tiles/0/5/5?bands=1"), 'no tile 5, 5 at level 0', 'tile');
        self::says($this->getJson("/api/items/$item/tiles/9/0/0?bands=1"), 'no tile');
        self::says($this->getJson("/api/items/$item/tiles/0/999999999/999999999?bands=1"), 'no tile');
        self::says($this->getJson("/api/items/$item/tiles/0/99999999999999999999/0?bands=1"), 'no longer exists', status: 404);
        foreach (['7', '0', '-1', '1;2', '1,1,1,1,1', str_repeat('1,', 5000)] as $bands) {
            self::says($this->getJson("/api/items/$item/tiles/0/0/0?bands=".urlencode($bands)), 'There is no band', 'bands');
        }
        self::says($this->getJson('/api/items/999/tiles/0/0/0'), 'no longer exists', status: 404);
        self::says($this->getJson("/api/items/$item/tiles/0/0/0?bands[]=1"), 'There is no band');
    }

    public function test_values_at_places(): void
    {
        [, $ground] = $this->ground();
        $item = self::itemOf($ground);
        // a pixel of water, one of land, nodata, outside
        $points = implode(';', ['431010,6071970', '431790,6071970', '431010,6071990', '1,1']);
        $values = $this->getJson("/api/items/$item/values?points=$points")->assertOk()->json();
        self::assertEqualsWithDelta([0.08, 0.02], $values[0], 1e-6);
        self::assertEqualsWithDelta([0.06, 0.30], $values[1], 1e-6);
        self::assertSame([[null, null], null], [$values[2], $values[3]]);
        self::says($this->getJson("/api/items/$item/values?points=here"), '“here” is not a place', 'points');
    }

    public function test_histograms_and_downloads(): void
    {
        [, $ground] = $this->ground();
        $item = self::itemOf($ground);
        $histogram = $this->getJson("/api/items/$item/histogram?band=2&bins=4")->assertOk()->json();
        self::assertSame([10 * 29, 0, 0, 30 * 29], $histogram['counts']);
        self::assertSame([40 * 29, 40, 1], [$histogram['pixels'], $histogram['nodata'], $histogram['reduced']]);
        self::assertEqualsWithDelta(0.02 + 0.07, $histogram['otsu'], 1e-6);
        self::says($this->getJson("/api/items/$item/histogram?band=3"), 'no band 3', 'band');

        // two heaps of one value each have no width to part them by; what has one is parted between them
        self::assertSame([], $this->getJson("/api/items/$item/limits?band=2")->assertOk()->json());
        self::says($this->getJson("/api/items/$item/limits?band=3"), 'no band 3', 'band');
        $this->get("/api/items/$item/sidecar")
            ->assertOk()
            ->assertDownload('1-gather-image-1-1-result.stac.json');
        $this->get("/api/items/$item/file")
            ->assertOk()
            ->assertDownload('1-gather-image-1-1-result.tif')
            ->assertHeader('Content-Type', 'image/tiff; application=geotiff; profile=cloud-optimized');
    }

    public function test_a_trial_computes_the_visible_window_and_keeps_no_step(): void
    {
        [$study, $ground] = $this->ground();
        $call = [
            'kind' => 'derive.index',
            'inputs' => ['image' => ['step' => $ground['id']]],
            'settings' => ['index' => 'ndwi'],
            'window' => [431_050, 6_071_500, 431_310, 6_071_900],
        ];
        $trial = $this->postJson("/api/studies/$study->id/trials", $call)
            ->assertOk()
            ->json();
        self::assertSame([14, 20, 1], [$trial['items'][0]['raster']['width'], $trial['items'][0]['raster']['height'], $trial['reduced']]);
        self::assertEquals([431_040, 20, 0, 6_071_900, 0, -20], $trial['items'][0]['raster']['transform']);
        // the same numbers as a full run
        $full = $this->step($study, 'derive.index', $call['inputs'], $call['settings']);
        $at = fn (int $item): array => $this->getJson("/api/items/$item/values?points=431070,6071890;431290,6071510")->json();
        self::assertSame($at(self::itemOf($full)), $at($trial['items'][0]['id']));
        $this->getJson("/api/studies/$study->id")->assertJsonCount(2, 'steps');
        self::says($this->postJson("/api/studies/$study->id/trials", ['window' => [0, 0, 10, 10]] + $call), 'does not reach the visible window', 'image');
        self::says($this->postJson("/api/studies/$study->id/trials", ['settings' => ['index' => 'mndwi']] + $call), 'has no band swir1', 'swir1');
        // a limit that lies outside the window may still lie inside the image
        $this->postJson("/api/studies/$study->id/trials", ['kind' => 'segment.slice', 'settings' => ['limits' => [0.5]]] + $call)
            ->assertOk()
            ->assertJsonCount(2, 'items');
    }

    public function test_a_large_window_is_tried_on_an_overview(): void
    {
        config(['chorometra.trial_pixels' => 20_000]);
        [$study, $ground] = $this->ground(300, 280);
        $trial = $this->postJson("/api/studies/$study->id/trials", [
            'kind' => 'derive.index',
            'inputs' => ['image' => ['step' => $ground['id']]],
            'settings' => ['index' => 'ndwi'],
            'window' => [0, 0, 1e6, 1e7],
        ])
            ->assertOk()
            ->json();
        self::assertSame([2, 150, 140], [$trial['reduced'], $trial['items'][0]['raster']['width'], $trial['items'][0]['raster']['height']]);
    }
}
