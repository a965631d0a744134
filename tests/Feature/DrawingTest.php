<?php

namespace Tests\Feature;

use App\Models\Drawing;
use App\Models\Study;
use Illuminate\Support\Str;
use Tests\TestCase;

/** What people draw: kept, changed, handed to steps and out again; hostile geometries are refused. */
class DrawingTest extends TestCase
{
    public function test_what_somebody_else_changed_is_not_written_over(): void
    {
        [$study] = $this->ground();
        $drawing = $this->postJson("/api/studies/$study->id/drawings", ['name' => 'fields'])->json('id');
        $square = fn (float $x): array => ['type' => 'Polygon',
            'coordinates' => [[[$x, 6_071_000], [$x + 50, 6_071_000], [$x + 50, 6_071_050], [$x, 6_071_050], [$x, 6_071_000]]]];
        $key = '00000000-0000-4000-8000-000000000001';
        $seen = $this->putJson("/api/drawings/$drawing/marks/$key", ['geometry' => $square(431_100)])->assertOk()->json('stamp');
        $all = $this->getJson("/api/drawings/$drawing")->json('stamp');
        $theirs = $this->patchJson("/api/marks/$key", ['class' => 'pasture'], ['If-Match' => "\"$seen\""])->assertOk()->json('stamp');
        // another page has not heard of that yet
        $late = ['If-Match' => "\"$seen\""];
        $this->patchJson("/api/marks/$key", ['class' => 'marsh'], $late)->assertStatus(412)->assertJsonPath('now.class', 'pasture')
            ->assertJsonPath('title', 'Mark 1 was changed by somebody else meanwhile: your change was not saved.');
        $this->deleteJson("/api/marks/$key", [], $late)->assertStatus(412);
        $this->putJson("/api/drawings/$drawing/marks", ['marks' => []], ['If-Match' => "\"$all\""])->assertStatus(412)->assertJsonCount(1, 'now.marks');
        $this->deleteJson("/api/marks/$key", [], ['If-Match' => "\"$theirs\""])->assertNoContent();
        // the legend
        $stamp = $this->getJson("/api/studies/$study->id")->json('legendStamp');
        $put = fn (string $colour, string $match) => $this->putJson("/api/studies/$study->id/legend", ['classes' => [['name' => 'water', 'colour' => $colour]]],
            ['If-Match' => "\"$match\""]);
        $next = $put('#102030', $stamp)->assertOk()->json('stamp');
        $put('#203040', $stamp)->assertStatus(412)->assertJsonPath('now.classes.0.colour', '#102030');
        $put('#203040', $next)->assertOk();
    }

    private const FIELD = [
        'type' => 'Polygon',
        'coordinates' => [[[431_100, 6_071_900], [431_300, 6_071_900], [431_300, 6_071_800], [431_100, 6_071_800], [431_100, 6_071_900]]],
    ];

    /** @return array{Study, array<string, mixed>, int} */
    private function begun(): array
    {
        [$study, $ground] = $this->ground();

        return [$study, $ground, $this->postJson("/api/studies/$study->id/drawings", ['name' => 'fields'])->assertStatus(201)->json('id')];
    }

    public function test_marks_are_drawn_changed_taken_away_and_put_back(): void
    {
        [$study, , $id] = $this->begun();
        $key = (string) Str::uuid();
        $mark = $this->putJson("/api/drawings/$id/marks/$key", ['geometry' => self::FIELD, 'class' => 'pasture'])->assertOk()->json();
        self::assertSame([$key, 1, 'pasture', false], [$mark['key'], $mark['number'], $mark['class'], $mark['skipped']]);
        foreach (self::FIELD['coordinates'][0] as $i => $place) {
            self::assertEqualsWithDelta($place, $mark['geometry']['coordinates'][0][$i], 1e-4);
        }
        // news tell that there is another state, and the same state again
        $stamp = fn (): int => $this->getJson("/api/studies/$study->id/news")->json('drawings.0.stamp');
        $drawn = $stamp();
        $this->patchJson("/api/marks/$key", ['class' => 'crops'])->assertOk()->assertJsonPath('class', 'crops');
        self::assertNotSame($drawn, $stamp());
        $this->deleteJson("/api/marks/$key")->assertNoContent();
        self::assertSame(0, $stamp());
        $this->putJson("/api/drawings/$id/marks/$key", ['geometry' => self::FIELD, 'class' => 'pasture'])->assertOk();
        self::assertSame($drawn, $stamp());
        // all at once
        $point = ['key' => (string) Str::uuid(), 'geometry' => ['type' => 'Point', 'coordinates' => [431_200, 6_071_850]], 'class' => 'well', 'note' => 'dry'];
        $this->putJson("/api/drawings/$id/marks", ['marks' => [$point, ['key' => $key, 'geometry' => self::FIELD]]])
            ->assertOk()
            ->assertJsonPath('marks.0.class', 'well')
            ->assertJsonPath('count', 2);
        $file = $this->get("/api/drawings/$id/file")
            ->assertOk()
            ->assertHeader('Content-Type', 'application/geo+json')
            ->json('features');
        self::assertSame(
            [['number' => 1, 'label' => 'well', 'note' => 'dry'], ['number' => 2, 'class' => null, 'note' => null]],
            array_column($file, 'properties'),
        );
        self::assertEqualsWithDelta([7.93, 54.79], $file[0]['geometry']['coordinates'], 0.02);
    }

    public function test_a_drawing_is_an_input_and_what_is_drawn_since_makes_steps_stale(): void
    {
        [$study, $ground, $id] = $this->begun();
        $inputs = ['image' => ['step' => $ground['id']], 'area' => ['drawing' => $id]];
        self::says(
            $this->postJson("/api/studies/$study->id/steps", ['kind' => 'gather.subset', 'inputs' => $inputs, 'run' => true]),
            '“fields” is empty: draw in it first.',
            'area',
        );
        $key = (string) Str::uuid();
        $this->putJson("/api/drawings/$id/marks/$key", ['geometry' => self::FIELD])->assertOk();
        $cut = $this->step($study, 'gather.subset', $inputs);
        self::assertSame([10, 5], [$cut['items'][0]['raster']['width'], $cut['items'][0]['raster']['height']]);
        $state = fn (): array => array_values($this->getJson("/api/studies/$study->id")->collect('steps.1')->only(['state', 'staleBy'])->all());
        $wider = self::FIELD;
        $wider['coordinates'][0][1][0] = $wider['coordinates'][0][2][0] = 431_340;
        $this->patchJson("/api/marks/$key", ['geometry' => $wider])->assertOk();
        self::assertSame(['stale', 0], $state());
        $this->patchJson("/api/marks/$key", ['geometry' => self::FIELD, 'note' => 'as it was'])->assertOk();
        self::assertSame(['done', null], $state());
        // it is not taken away while a step works on it, and another study can't use it
        self::says($this->deleteJson("/api/drawings/$id"), 'Step 2 uses “fields” (input area)');
        [$other, $image] = $this->ground();
        self::says(
            $this->postJson("/api/studies/$other->id/steps", [
                'kind' => 'gather.subset',
                'inputs' => ['image' => ['step' => $image['id']], 'area' => ['drawing' => $id]],
                'run' => true,
            ]),
            'no longer exists: choose another',
            'area',
        );
        $this->deleteJson("/api/steps/{$cut['id']}")->assertNoContent();
        $this->deleteJson("/api/drawings/$id")->assertNoContent();
        self::assertSame(0, Drawing::query()->where('study_id', $study->id)->count());
    }

    public function test_names_and_geometries_that_can_t_be_are_refused(): void
    {
        [$study, , $id] = $this->begun();
        foreach ([['name' => 'fields'], ['name' => 'area'], ['name' => ' '], ['name' => str_repeat('x', 61)]] as $body) {
            $this->postJson("/api/studies/$study->id/drawings", $body)->assertStatus(422);
        }
        $this->patchJson("/api/drawings/$id", ['name' => 'parcels'])->assertOk()->assertJsonPath('name', 'parcels');
        $key = (string) Str::uuid();
        $ring = fn (array ...$places): array => ['type' => 'Polygon', 'coordinates' => [$places]];
        foreach ([
            [$ring([431_100, 6_071_900], [431_300, 6_071_800], [431_300, 6_071_900], [431_100, 6_071_800]), 'crosses itself'],
            [$ring([431_100, 6_071_900], [431_300, 6_071_900]), 'at least three corners'],
            [['type' => 'Circle', 'coordinates' => [1, 2]], 'unknown geometry'],
            [['type' => 'Point', 'coordinates' => ['a', 2]], 'unknown geometry'],
            [['type' => 'Point', 'coordinates' => [1e30, 1e30]], 'has invalid coordinates'],
            [['type' => 'LineString', 'coordinates' => [[431_100, 6_071_900]]], 'at least two points'],
            [['type' => 'LineString', 'coordinates' => array_fill(0, 20_001, [431_100, 6_071_900])], '20,000 corners'],
        ] as [$geometry, $part]) {
            self::says($this->putJson("/api/drawings/$id/marks/$key", ['geometry' => $geometry]), $part);
        }
        self::says($this->putJson("/api/drawings/$id/marks/one", ['geometry' => self::FIELD]), 'UUID', 'key');
        self::assertSame([], $this->getJson("/api/drawings/$id")->json('marks'));
        // the area is polygons, and a key is one mark's
        $area = $this->putJson("/api/studies/$study->id/area", ['rings' => self::FIELD['coordinates']])->json('area.drawing');
        $corner = $this->getJson("/api/drawings/$area")->json('marks.0.key');
        self::says($this->patchJson("/api/marks/$corner", ['geometry' => ['type' => 'Point', 'coordinates' => [431_100, 6_071_900]]]), 'is not a polygon');
        self::says($this->putJson("/api/drawings/$id/marks/$corner", ['geometry' => self::FIELD]), 'another drawing', 'key');
        self::says($this->patchJson("/api/drawings/$area", ['name' => 'mine']), 'keeps its name', 'name');
    }

    public function test_outlines_come_by_window(): void
    {
        [$study, $ground] = $this->ground();
        $slice = $this->step($study, 'segment.slice', ['image' => ['step' => $ground['id']]], ['limits' => [0.07], 'names' => ['land', 'water']]);
        $outlines = $this->step($study, 'deliver.outlines', ['image' => ['step' => $slice['id'], 'output' => 'classes']]);
        $url = '/api/items/'.self::itemOf($outlines).'/features';
        $all = $this->getJson("$url?box=431000,6071400,431800,6072000&pixel=2")->assertOk()->json();
        self::assertSame($outlines['figures']['polygons'] ?? $all['inside'], $all['inside']);
        self::assertEqualsCanonicalizing(['land', 'water'], array_values(array_unique(array_column(array_column($all['features'], 'properties'), 'class'))));
        $this->getJson("$url?box=0,0,10,10&pixel=2")->assertOk()->assertJsonPath('features', []);
        self::says($this->getJson("$url?box=0,0,10&pixel=2"), 'box', 'box');
        $this->getJson("$url?box=0,0,10,10&pixel=0")->assertStatus(422);
        $this->getJson('/api/items/'.self::itemOf($ground).'/features?box=0,0,10,10&pixel=2')->assertNotFound();
        // what views were given of it goes with it
        $kept = config()->string('chorometra.files')."/studies/$study->id/views";
        self::assertCount(1, glob("$kept/*") ?: []);
        $this->deleteJson("/api/steps/{$outlines['id']}")->assertNoContent();
        self::assertSame([], glob("$kept/*"));
    }
}
