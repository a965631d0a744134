<?php

namespace Tests\Feature;

use App\Models\Study;
use Chorometra\Core\Correct\Air\Atmosphere;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Demo\Air;
use Illuminate\Http\UploadedFile;
use Tests\TestCase;

/** The air over a scene: the service that tells of it, spectra at pegs, signatures; and images that lie turned. */
class SurfaceTest extends TestCase
{
    /** @return array<string, mixed> item of an image of two bands in reflectance */
    private function scene(Study $study): array
    {
        $path = $this->raster(
            'toa.tif',
            new RasterSpec(
                self::grid(4, 3),
                [new Band('blue', 'blue', 0.483, 0.065, 'reflectance'), new Band('nir', 'nir', 0.864, 0.035, 'reflectance')],
                properties: ['view:sun_elevation' => 50.0, 'datetime' => '2031-05-12T10:41:22Z'],
            ),
            [array_map(fn (int $i): float => 0.1 + $i / 200, range(0, 11)), array_map(fn (int $i): float => 0.2 + $i / 100, range(0, 11))],
        );
        $told = $this->upload($study, $path, preg_replace('/tif$/', 'stac.json', $path) ?? '')
            ->assertCreated()
            ->json();

        return $this->step($study, 'gather.image', ['image' => ['upload' => $told['upload']]])['items'][0];
    }

    public function test_spectra_at_pins_under_the_air_as_it_is_set(): void
    {
        $study = $this->study();
        $item = $this->scene($study);
        [$x, $y] = self::grid(4, 3)->toMap(2.5, 1.5);
        $peg = $this->postJson("/api/studies/$study->id/pegs", ['x' => $x, 'y' => $y])->json();
        $this->postJson("/api/studies/$study->id/pegs", ['x' => $x - 5000, 'y' => $y]);
        $ask = fn (array $settings) => $this->postJson("/api/items/{$item['id']}/spectra", ['kind' => 'correct.surface', 'settings' => (object) $settings]);
        $spectra = $ask(['aot550' => 0.2, 'water-vapour' => 1.0, 'ozone' => 300, 'elevation' => 0])->assertOk()->json();
        $air = new Atmosphere(50.0, 'continental', 0.2, 1.0, 300.0, 0.0);
        self::assertEqualsWithDelta([$air->at(0.483, 0.065)->surface(0.13), $air->at(0.864, 0.035)->surface(0.26)], $spectra['pegs'][0]['surface'], 1e-6);
        self::assertEqualsWithDelta([0.13, 0.26], $spectra['pegs'][0]['above'], 1e-6);
        self::assertSame([null, null], $spectra['pegs'][1]['surface']);
        self::assertSame(['blue', 'nir'], array_column($spectra['bands'], 'label'));
        // the nearest signature first
        $angles = array_column($spectra['pegs'][0]['fits'], 'angle');
        self::assertCount(28, $angles);
        self::assertSame($angles, collect($angles)->sort()->values()->all());
        // what can't be is told by its setting
        $ask(['visibility' => 900])->assertStatus(422)->assertJson(['about' => 'visibility']);
        $ask(['visibility' => 20])->assertOk()->assertJsonPath('air.2.from', 'visibility');
        // nothing is kept of what was only looked at
        self::assertCount(1, $study->refresh()->steps);

        // what a peg is thought to be stays with it
        $this->patchJson("/api/pegs/{$peg['id']}", ['signature' => 'woodland'])->assertOk()->assertJson(['signature' => 'woodland']);
        self::assertSame('woodland', $this->getJson("/api/studies/$study->id")->json('pegs.0.signature'));
    }

    public function test_signatures_are_added_and_taken_away(): void
    {
        $shipped = $this->getJson('/api/signatures')->assertOk()->json();
        self::assertSame([['made-up', false]], array_map(fn (array $one): array => [$one['library'], $one['added']], $shipped));
        self::assertEqualsWithDelta([0.4, 2.4], [$shipped[0]['wavelengths'][0], end($shipped[0]['wavelengths'])], 1e-9);
        self::assertContains('salt marsh', array_column($shipped[0]['covers'], 'name'));
        $add = fn (string $name, string $text) => $this->post(
            '/api/signatures',
            ['file' => UploadedFile::fake()->createWithContent($name, $text)],
            ['Accept' => 'application/json'],
        );
        $add('field spectra.csv', "nm;my moss\n400;3,5\n1000;40\n")->assertCreated();
        $now = $this->getJson('/api/signatures')->json(1);
        self::assertSame(['field spectra', true, ['my moss']], [$now['library'], $now['added'], array_column($now['covers'], 'name')]);
        self::assertEqualsWithDelta([0.035, 0.4], $now['covers'][0]['values'], 1e-9);
        $add('broken.csv', "nm,a\n400,x\n500,1\n")->assertStatus(422)->assertSee('Line 2 of broken.csv');
        $add('made-up.csv', "nm,a\n400,1\n500,1\n")->assertStatus(422);
        $this->deleteJson('/api/signatures/made-up')->assertStatus(422);
        $this->deleteJson('/api/signatures/'.rawurlencode('field spectra'))->assertNoContent();
        self::assertCount(1, $this->getJson('/api/signatures')->json());
    }

    public function test_the_atmosphere_service_speaks_its_standard(): void
    {
        $base = '/standin/atmosphere';
        self::assertContains('data', array_column($this->getJson($base)->assertOk()->json('links'), 'rel'));
        self::assertContains('http://www.opengis.net/spec/ogcapi-edr-1/1.0/conf/core', $this->getJson("$base/conformance")->json('conformsTo'));
        self::assertSame('air', $this->getJson("$base/collections")->json('collections.0.id'));
        self::assertArrayHasKey('position', $this->getJson("$base/collections/air")->json('data_queries'));
        $ask = fn (string $coords, string $time = '2031-05-12T10:41:22Z') => $this->getJson(
            "$base/collections/air/position?".http_build_query(['coords' => $coords, 'datetime' => $time]),
        );
        $answer = $ask('POINT(8.02 54.74)')->assertOk()->json();
        self::assertSame(['Coverage', 'Point'], [$answer['type'], $answer['domain']['domainType']]);
        $air = Air::on('2031-05-12', 'clear')->told('2031-05-12');
        self::assertEqualsWithDelta(
            [$air->aot550, 10 * $air->water, $air->ozone / 1e5],
            [$answer['ranges']['aod']['values'][0], $answer['ranges']['tcwv']['values'][0], $answer['ranges']['tco3']['values'][0]],
            0.01,
        );
        self::assertSame('continental', array_search($answer['ranges']['kind']['values'][0], $answer['parameters']['kind']['categoryEncoding'], true));
        // hazier on the second date
        self::assertGreaterThan($air->aot550, $ask('POINT(8.02 54.74)', '2033-06-03T10:41:22Z')->json('ranges.aod.values.0'));
        $ask('POLYGON((1 2))')->assertStatus(400);
        $ask('POINT(8 54)', 'soon')->assertStatus(400);
        $ask('POINT(100 10)')->assertStatus(404);
    }

    public function test_an_image_that_lies_turned_is_shown_in_place(): void
    {
        $study = $this->study();
        $this->scene($study);
        $place = fn (float $col, float $row): array => [431_000 + 18 * $col + 5 * $row, 6_072_000 + 5 * $col - 18 * $row];
        $controls = [];
        foreach ([[0.0, 0.0], [40.0, 0.0], [0.0, 30.0], [40.0, 30.0]] as [$col, $row]) {
            [$longitude, $latitude] = Crs::toGeographic(32632, ...$place($col, $row)) ?? [NAN, NAN];
            $controls[] = [$col, $row, $longitude, $latitude];
        }
        foreach (
            [
                ['controls', new Grid(40, 30, epsg: 4326, controls: $controls)],
                ['matrix', new Grid(40, 30, [431_000.0, 18.0, 5.0, 6_072_000.0, 5.0, -18.0], 32632)],
            ] as [$name, $grid]
        ) {
            $path = $this->raster("$name.tif", new RasterSpec($grid, [new Band('vv', 'vv')]), [array_map(fn (int $i): float => (float) $i, range(0, 1199))]);
            $told = $this->upload($study, $path)->json();
            self::assertSame($name === 'controls' ? 4 : null, $told['facts']['ground control points']);
            $item = $this->step($study, 'gather.image', ['image' => ['upload' => $told['upload']]], ['roles' => 'vv'])['items'][0];
            self::assertTrue($item['raster']['warped'], $name);
            self::assertSame(0, $item['raster']['transform'][2] <=> 0.0, $name);
            self::assertSame(32632, $item['raster']['epsg']);
            [$x, $y] = $place(12.5, 20.5);
            self::assertEqualsWithDelta(20 * 40 + 12, $this->getJson("/api/items/{$item['id']}/values?points=$x,$y")->json('0.0'), 1e-3, $name);
        }
    }
}
