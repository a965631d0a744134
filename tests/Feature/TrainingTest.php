<?php

namespace Tests\Feature;

use App\Models\Study;
use Illuminate\Support\Str;
use Tests\TestCase;

/** Training areas of a study: drawn, taken from files, looked at while they are drawn, and taught from. */
class TrainingTest extends TestCase
{
    /** @return array{Study, array<string, mixed>, int} the study, what is set up, and the drawing */
    private function drawn(): array
    {
        [$study, $ground] = $this->ground();
        $drawing = $this->postJson("/api/studies/$study->id/drawings", ['name' => 'training areas'])->assertCreated()->json('id');
        $inputs = ['images:1' => ['step' => $ground['id'], 'output' => 'result'], 'areas' => ['drawing' => $drawing]];
        foreach ([['water', 0, 3], ['land', 15, 3], ['water', 4, 20], ['land', 30, 20]] as [$class, $col, $row]) {
            $this->box($drawing, $class, $col, $row);
        }

        return [$study, ['kind' => 'classify.teach', 'inputs' => $inputs, 'settings' => ['method' => 'nearest-mean']], $drawing];
    }

    private function box(int $drawing, string $class, int $col, int $row): void
    {
        $at = fn (int $c, int $r): array => self::grid(40, 30)->toMap($c, $r);
        $ring = [$at($col, $row), $at($col + 5, $row), $at($col + 5, $row + 5), $at($col, $row + 5), $at($col, $row)];
        $this->putJson(
            "/api/drawings/$drawing/marks/".Str::uuid(),
            ['geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]], 'class' => $class],
        )->assertOk();
    }

    public function test_areas_tell_what_they_are_and_a_step_learns_from_them(): void
    {
        [$study, $asked, $drawing] = $this->drawn();
        $told = $this->postJson("/api/studies/$study->id/training", $asked)->assertOk()->json();
        self::assertSame(['water', 'land'], array_column($told['classes'], 'class'));
        self::assertSame([50, 50], array_column($told['classes'], 'pixels'));
        self::assertEqualsWithDelta(0.02, $told['classes'][0]['means'][1], 1e-6);
        self::assertContains('“water” is the same everywhere in green.', array_column($told['said'], 'text'));
        $density = $this->postJson("/api/studies/$study->id/training/density", $asked + ['x' => 'green', 'y' => 'nir'])->assertOk()->json();
        self::assertSame(40 * 29, array_sum($density['counts']));
        self::says($this->postJson("/api/studies/$study->id/training/density", $asked + ['x' => 'green', 'y' => 'blue']), 'Choose two bands', 'bands');

        $step = $this->step($study, $asked['kind'], $asked['inputs'], $asked['settings']);
        self::assertSame(['classes', 'confidence', 'model'], array_column($step['items'], 'output'), 'no posteriors unless they are wanted');
        self::assertSame(1, $step['figures']['agreement']);
        $classes = array_column($step['figures']['classes']['classes'], 'pixels', 'class');
        self::assertSame(['water' => 290, 'land' => 870], $classes);
        $model = $this->step($study, 'classify.apply', [
            'images:1' => $asked['inputs']['images:1'], 'model' => ['step' => $step['id'], 'output' => 'model'],
        ]);
        self::assertSame($classes, array_column($model['figures']['classes']['classes'], 'pixels', 'class'));

        // an area more, and what was learnt is stale
        $this->box($drawing, 'land', 20, 10);
        self::assertSame('stale', array_column($this->getJson("/api/studies/$study->id")->json('steps'), 'state', 'id')[$step['id']]);
    }

    public function test_areas_grow_from_a_seed_and_are_taken_from_segments(): void
    {
        [$study, $asked] = $this->drawn();
        $place = fn (int $col, int $row): array => ['place' => self::grid(40, 30)->toMap($col + 0.5, $row + 0.5)];
        $grown = $this->postJson("/api/studies/$study->id/training/grow", $asked + $place(3, 10))->assertOk()->json();
        self::assertCount(10 * 29, (array) unpack('V*', (string) base64_decode($grown['pixels'])), 'all water, and nothing else');
        self::assertSame([20, 0], array_map(intval(...), $grown['column']));
        self::says($this->postJson("/api/studies/$study->id/training/grow", $asked + $place(3, 0)), 'The seed is on nodata', 'place');
        self::says($this->postJson("/api/studies/$study->id/training/grow", $asked + $place(99, 3)), 'The seed is outside', 'place');

        $merge = $this->step($study, 'segment.merge', ['images:1' => $asked['inputs']['images:1']], ['merge-limit' => 6]);
        $asked['inputs']['segments'] = ['step' => $merge['id'], 'output' => 'segments'];
        $taken = $this->postJson("/api/studies/$study->id/training/segment", $asked + $place(20, 10))->assertOk()->json();
        self::assertCount(30 * 29, (array) unpack('V*', (string) base64_decode($taken['pixels'])));
    }

    public function test_areas_come_from_files_and_legends_from_what_was_published(): void
    {
        [$study, , $drawing] = $this->drawn();
        $grid = self::grid(40, 30);
        $square = fn (int $col): array => array_map(
            fn (array $at): array => $grid->toMap(...$at),
            [[$col, 2], [$col + 3, 2], [$col + 3, 6], [$col, 6], [$col, 2]],
        );
        $path = "$this->folder/fields.geojson";
        file_put_contents($path, json_encode([
            'type' => 'FeatureCollection', 'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']],
            'features' => [
                [
                    'type' => 'Feature',
                    'properties' => ['crop' => 'barley'],
                    'geometry' => ['type' => 'MultiPolygon', 'coordinates' => [[$square(12)], [$square(20)]]],
                ],
                ['type' => 'Feature', 'properties' => ['crop' => 'wheat'], 'geometry' => ['type' => 'Point', 'coordinates' => $grid->toMap(30.5, 9.5)]],
            ],
        ]));
        $upload = $this->upload($study, $path)->assertStatus(201)->json('upload');
        $marks = $this->postJson("/api/drawings/$drawing/from", ['upload' => $upload, 'field' => 'crop'])->assertOk()->json('marks');
        self::assertSame(['water', 'land', 'water', 'land', 'barley', 'barley', 'wheat'], array_column($marks, 'class'));
        self::assertEqualsWithDelta($square(20)[0], $marks[5]['geometry']['coordinates'][0][0], 0.01);
        self::says($this->postJson("/api/drawings/$drawing/from", ['upload' => $upload, 'field' => 'kind']), 'has no property “kind”; it has crop', 'field');

        $names = $this->postJson("/api/studies/$study->id/legend", ['published' => 'anderson-1976-level-1'])->assertOk()->json('names');
        self::assertCount(9, $names);
        $this->postJson("/api/studies/$study->id/legend", ['names' => ['Salt marsh', 'water', 'Xyz']])->assertOk();
        $legend = array_column($this->getJson("/api/studies/$study->id")->json('legend'), 'colour', 'name');
        self::assertSame('#26456e', $legend['water'], 'it keeps the colour that it has');
        self::assertCount(11, $legend);
        self::assertStringContainsString('Anderson', $this->getJson('/api/legends')->assertOk()->json('0.source'));
        self::says($this->postJson("/api/studies/$study->id/legend", ['published' => 'nobody']), 'There is no published legend');
        // what is handed on has the colours of the study
        $colours = array_column(array_column($this->get("/api/drawings/$drawing/file")->json('features'), 'properties'), 'colour', 'class');
        self::assertSame($legend['water'], $colours['water']);
    }
}
