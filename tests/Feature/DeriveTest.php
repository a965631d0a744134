<?php

namespace Tests\Feature;

use Tests\TestCase;

/** What the desk of a formula and the ruler ask for. */
class DeriveTest extends TestCase
{
    public function test_what_a_formula_gives_at_each_peg_before_it_is_run(): void
    {
        [$study, $ground] = $this->ground();
        foreach ([[431_010, 6_071_970], [431_790, 6_071_970], [431_010, 6_071_990], [1, 1]] as [$x, $y]) {
            $this->postJson("/api/studies/$study->id/pegs", ['x' => $x, 'y' => $y])->assertStatus(201);
        }
        $call = fn (string $formula, array $more = []): array => $more + [
            'kind' => 'derive.formula',
            'inputs' => ['images:1' => ['step' => $ground['id'], 'output' => 'result']],
            'settings' => ['formula' => $formula],
        ];
        $told = $this->postJson("/api/studies/$study->id/at-pegs", $call("water = (green - nir) / (green + nir)\nwet = where(water > 0, water, nodata)"))
            ->assertOk()
            ->json();
        self::assertSame(['green', 'nir'], $told['read']);
        self::assertSame(['water', 'wet'], $told['made']);
        [$water, $land, $hole, $away] = $told['pegs'];
        self::assertEqualsWithDelta([0.08, 0.02], $water['read'], 1e-6);
        self::assertEqualsWithDelta([0.6, 0.6], $water['made'], 1e-6);
        self::assertEqualsWithDelta(-0.24 / 0.36, $land['made'][0], 1e-6);
        self::assertSame([null, null, null], [$land['made'][1], $hole['made'][0], $hole['read'][0]]);
        self::assertSame([[], []], [$away['read'], $away['made']]);

        // a mistake says its place, and so does a band that is not there
        $wrong = $this->postJson("/api/studies/$study->id/at-pegs", $call("x = green\ny = (x + nir"));
        self::says($wrong, 'a “)” is missing', 'formula');
        self::assertSame(['line' => 2, 'character' => 13], $wrong->json('at'));
        $missing = $this->postJson("/api/studies/$study->id/at-pegs", $call('green + swir1'));
        self::says($missing, 'There is no “swir1”', 'formula');
        self::assertSame(['line' => 1, 'character' => 9], $missing->json('at'));
        // kinds that look around a pixel have nothing to say of one
        $filter = ['kind' => 'derive.filter', 'inputs' => ['image' => ['step' => $ground['id'], 'output' => 'result']], 'settings' => []];
        self::says($this->postJson("/api/studies/$study->id/at-pegs", $filter), 'more than one pixel', 'kind');

        // and it can be tried on what is visible
        $kinds = array_column($this->getJson('/api/kinds')->json(), null, 'id');
        self::assertTrue($kinds['derive.formula']['triable']);
        self::assertFalse($kinds['gather.mosaic']['triable']);
        $trial = $this->postJson("/api/studies/$study->id/trials", $call('green / nir') + ['window' => [431_000, 6_071_400, 431_800, 6_072_000]])->assertOk();
        self::assertSame('value', $trial->json('items.0.raster.bands.0.label'));
        // of what else a kind makes, such as a table, a trial makes nothing
        $components = ['kind' => 'derive.components', 'inputs' => ['image' => ['step' => $ground['id'], 'output' => 'result']], 'settings' => []];
        $trial = $this->postJson("/api/studies/$study->id/trials", $components + ['window' => [431_000, 6_071_400, 431_800, 6_072_000]])->assertOk();
        self::assertSame(['result'], array_column($trial->json('items'), 'output'));
    }

    public function test_the_ruler_tells_ground_and_pixels(): void
    {
        [$study, $ground] = $this->ground();
        $item = self::itemOf($ground);
        $measure = fn (array $places, bool $ring = false): array => $this->postJson(
            "/api/studies/$study->id/measure",
            ['places' => $places, 'ring' => $ring, 'items' => [$item]],
        )->assertOk()->json();
        // three pixels east and four south
        $line = $measure([[431_000, 6_072_000], [431_060, 6_071_920]]);
        self::assertEqualsWithDelta(100.0, $line['metres'], 1e-9);
        self::assertNull($line['squareMetres']);
        self::assertEqualsWithDelta(['columns' => 3.0, 'rows' => 4.0, 'pixels' => null], array_diff_key($line['items'][0], ['id' => 0]), 1e-9);
        $ring = $measure([[431_000, 6_072_000], [431_060, 6_072_000], [431_060, 6_071_900], [431_000, 6_071_900]], true);
        self::assertEqualsWithDelta([320.0, 6000.0, 15.0], [$ring['metres'], $ring['squareMetres'], $ring['items'][0]['pixels']], 1e-9);
        // a pixel is as large as it says
        $pixel = $this->getJson("/api/studies/$study->id")->json('steps.0.items.0.raster.own.pixel');
        self::assertEqualsWithDelta([20.0, 20.0, 'm', null], array_values($pixel), 1e-9);
        self::says($this->postJson("/api/studies/$study->id/measure", ['places' => [[1, 2]], 'ring' => false, 'items' => []]), 'places');

        // where the map is no measure of ground, the ellipsoid is asked
        $study->update(['epsg' => 4326]);
        $degrees = $measure([[8.0, 54.0], [8.01, 54.0]]);
        // a hundredth of a degree of longitude at 54° north on WGS 84, by PROJ
        self::assertEqualsWithDelta(655.7577, $degrees['metres'], 1e-3);
    }
}
