<?php

namespace Tests\Feature;

use App\Models\Mark;
use App\Models\Study;
use Illuminate\Support\Facades\DB;
use Tests\TestCase;

class CheckPointTest extends TestCase
{
    /** @return array{Study, array<string, mixed>, array<string, mixed>} the study, the slice, the drawn points */
    private function drawn(int $points = 12): array
    {
        [$study, $ground] = $this->ground();
        $slice = $this->step($study, 'segment.slice', ['image' => ['step' => $ground['id']]], ['limits' => [0.07], 'names' => ['land', 'water']]);

        return [$study, $slice, $this->step($study, 'assess.draw', ['map' => ['step' => $slice['id'], 'output' => 'classes']], ['points' => $points])];
    }

    private function drawing(Study $study): int
    {
        return $this->getJson("/api/studies/$study->id")->json('drawings.0.id');
    }

    public function test_points_are_blind_to_the_map_and_the_matrix_grows_with_the_labels(): void
    {
        [$study, $slice, $draw] = $this->drawn();
        $points = $this->getJson('/api/drawings/'.$this->drawing($study))
            ->assertOk()
            ->assertJsonCount(12, 'marks')
            ->assertJsonPath('step', $draw['id'])
            ->json('marks');
        self::assertSame(['key', 'number', 'geometry', 'class', 'second', 'sure', 'skipped', 'note'], array_keys($points[0]));
        $this->getJson("/api/steps/{$draw['id']}/matrix")->assertOk()->assertJsonPath('points', 0)->assertJsonPath('overall', null);
        $labels = [];
        foreach ($points as $i => $point) {
            // water is in the west; one is said to be the other
            $truth = $point['geometry']['coordinates'][0] < 431_200 ? 'water' : 'land';
            $this->patchJson(
                "/api/marks/{$point['key']}",
                $i === 3 ? ['skipped' => true] : ['class' => ($labels[] = $i === 0 ? ($truth === 'land' ? 'water' : 'land') : $truth)],
            )->assertOk();
        }
        $matrix = $this->getJson("/api/steps/{$draw['id']}/matrix")->json();
        self::assertSame([11, 1], [$matrix['points'], $matrix['unlabelled']]);
        self::assertEqualsWithDelta(10 / 11, $matrix['counted']['overall'], 1e-12);
        // each class was drawn from alike, and weighs what it covers
        $weights = array_column($draw['figures']['strata'], 'share');
        $right = array_map(fn (array $row, int $k): float => $row[$k] / array_sum($row), $matrix['matrix'], [0, 1]);
        self::assertEqualsWithDelta($weights[0] * $right[0] + $weights[1] * $right[1], $matrix['overall'], 1e-12);
        self::assertGreaterThan(0.0, $matrix['overallHalf']);
        self::assertGreaterThan(0.5, $matrix['kappa']);
        self::assertStringContainsString('too short for so few', implode($matrix['notes']));
        // the step that keeps it gives the same figures, and a table
        $step = $this->step($study, 'assess.matrix', ['map' => ['step' => $slice['id'], 'output' => 'classes'], 'points' => ['step' => $draw['id']]]);
        self::assertSame([$matrix['matrix'], $matrix['overall']], [$step['figures']['matrix'], $step['figures']['overall']]);
        $csv = $this->get('/api/items/'.self::itemOf($step).'/file')->assertOk();
        self::assertStringContainsString(',0.9090909090909091', (string) file_get_contents($csv->baseResponse->getFile()->getPathname()));
        // a label changed since makes it stale, a note does not, and the label as it was makes it good again
        foreach ([[['class' => null], 'stale'], [['class' => $labels[0]], 'done'], [['note' => 'seen'], 'done']] as [$said, $state]) {
            $this->patchJson("/api/marks/{$points[0]['key']}", $said)->assertOk();
            $this->getJson("/api/studies/$study->id")
                ->assertJsonPath('steps.3.state', $state)
                ->assertJsonPath('steps.3.staleBy', $state === 'stale' ? 3 : null);
        }
    }

    public function test_labels_are_not_lost_by_drawing_anew_or_by_refreshing(): void
    {
        [$study, $slice, $draw] = $this->drawn();
        Mark::query()->where('number', '<=', 5)->update(['class' => 'water', 'note' => 'seen']);
        $this->getJson("/api/studies/$study->id")->assertJsonPath('steps.2.labelled', 5);
        // the same places are drawn again
        $this->postJson("/api/steps/{$draw['id']}/run")->assertStatus(202)->assertJsonPath('labelled', 5);
        self::assertSame('seen', Mark::query()->where('number', 2)->sole()->note);
        // the map is made anew; the labelled points stay until a person wants others
        $this->patchJson("/api/steps/{$slice['id']}", ['settings' => ['limits' => [0.065], 'names' => ['land', 'water']], 'run' => true])->assertOk();
        $this->postJson("/api/studies/$study->id/refresh")->assertJson(['runs' => 0, 'kept' => [3]]);
        $this->getJson("/api/studies/$study->id")->assertJsonPath('steps.2.labelled', 5)->assertJsonPath('steps.2.state', 'stale');
    }

    public function test_several_people_label_the_same_points_and_are_told_how_far_they_agree(): void
    {
        [$study, , $draw] = $this->drawn(6);
        $drawing = $this->drawing($study);
        $keys = array_column($this->getJson("/api/drawings/$drawing")->json('marks'), 'key');
        $say = fn (int $k, string $person, array $said) => $this->patchJson("/api/marks/{$keys[$k]}", ['person' => $person] + $said)->assertOk();
        foreach (['Ada', 'Ben'] as $person) {
            foreach (range(0, 3) as $k) {
                $say($k, $person, ['class' => $k === 3 && $person === 'Ben' ? 'water' : 'land', 'sure' => 'fairly']);
            }
        }
        // neither sees what the other said
        $ben = $this->getJson("/api/drawings/$drawing?person=Ben")->json('marks');
        self::assertSame(['water', 'fairly', null], [$ben[3]['class'], $ben[3]['sure'], $ben[4]['class']]);
        $agreement = $this->getJson("/api/drawings/$drawing/agreement")->assertOk()->json();
        self::assertEquals([['name' => 'Ada', 'labelled' => 4], ['name' => 'Ben', 'labelled' => 4]], $agreement['people']);
        self::assertSame([4, 0.75], [$agreement['pairs'][0]['points'], $agreement['pairs'][0]['agreed']]);
        self::assertEquals([['key' => $keys[3], 'said' => [['name' => 'Ada', 'class' => 'land'], ['name' => 'Ben', 'class' => 'water']]]], $agreement['apart']);
        // one against one: what was said first counts, till a third says so, or it is settled together
        $counts = fn (): ?string => $this->getJson("/api/drawings/$drawing")->json('marks.3.class');
        self::assertSame('land', $counts());
        $say(3, 'Cleo', ['class' => 'water']);
        self::assertSame('water', $counts());
        $say(3, '', ['class' => 'land', 'second' => 'water']);
        self::assertSame('land', $counts());
        self::assertSame([], $this->getJson("/api/drawings/$drawing/agreement")->json('apart'));
        // a second label that the map has counts as right beside the first
        $matrix = $this->getJson("/api/steps/{$draw['id']}/matrix")->json();
        self::assertSame(1, $matrix['secondLabels']);
        self::assertGreaterThanOrEqual($matrix['overall'] ?? 0, $matrix['either'] ?? 0);
        // taken back
        $say(3, '', ['class' => null]);
        self::assertSame('water', $counts());
        self::says($this->patchJson("/api/marks/$keys[0]", ['sure' => 'maybe']), 'sure', 'sure');
    }

    public function test_labels_come_back_from_the_field(): void
    {
        [$study] = $this->drawn(5);
        $drawing = $this->drawing($study);
        $csv = $this->get("/api/drawings/$drawing/file?as=csv")->assertOk()->getContent();
        $rows = array_map(fn (string $line): array => str_getcsv($line, escape: ''), explode("\n", trim((string) $csv)));
        self::assertSame(['number', 'longitude', 'latitude', 'label', 'second', 'sure', 'note'], $rows[0]);
        self::assertStringNotContainsString('land', (string) $csv, 'blind to what the map says');
        $rows[1][3] = $rows[2][3] = 'land';
        $rows[1][6] = 'sheep';
        $rows[2][0] = '';
        // a number of ours at a place of another draw
        $lines = [...array_map(fn (array $row): string => implode(',', $row), array_slice($rows, 0, 3)), '4,7.1,54.2,water,,,'];
        file_put_contents("$this->folder/field.csv", implode("\n", $lines)."\n");
        $upload = $this->upload($study, "$this->folder/field.csv")->assertStatus(201)->json('upload');
        $told = $this->postJson("/api/drawings/$drawing/labels", ['upload' => $upload, 'person' => 'Ada'])->assertOk()->json();
        self::assertSame(['taken' => 2, 'strange' => 1, 'without' => 0], $told);
        $marks = $this->getJson("/api/drawings/$drawing")->json('marks');
        self::assertSame(['land', 'land', null], array_column(array_slice($marks, 0, 3), 'class'));
        self::assertSame('sheep', $marks[0]['note']);
        file_put_contents("$this->folder/empty.csv", "longitude,latitude,label\n7.1,54.2,water\n");
        $empty = $this->upload($study, "$this->folder/empty.csv")->assertStatus(201)->json('upload');
        self::says($this->postJson("/api/drawings/$drawing/labels", ['upload' => $empty]), 'neither point numbers nor positions', 'upload');
    }

    public function test_labels_in_another_encoding_come_in_as_text_and_areas_take_none(): void
    {
        [$study] = $this->drawn(5);
        $drawing = $this->drawing($study);
        $csv = (string) $this->get("/api/drawings/$drawing/file?as=csv")->getContent();
        $rows = array_map(fn (string $line): array => str_getcsv($line, ',', '"', ''), array_slice(explode("\n", trim($csv)), 1));
        $lines = array_map(fn (array $row): string => "$row[0],$row[1],$row[2],Dünengras", $rows);
        file_put_contents("$this->folder/field.csv", mb_convert_encoding("number,longitude,latitude,label\n".implode("\n", $lines), 'Windows-1252', 'UTF-8'));
        $upload = $this->upload($study, "$this->folder/field.csv")->json('upload');
        $this->postJson("/api/drawings/$drawing/labels", ['upload' => $upload])->assertOk()->assertJsonPath('taken', 5);
        $this->getJson("/api/drawings/$drawing")->assertOk()->assertJsonPath('marks.0.class', 'Dünengras');
        // one that was spoilt before opens again
        DB::statement("UPDATE marks SET class = CAST(X'44fc6e65' AS TEXT) WHERE id = (SELECT min(id) FROM marks)");
        (require database_path('migrations/2026_12_01_140000_sound_texts.php'))->up();
        $this->getJson("/api/drawings/$drawing")->assertOk()->assertJsonPath('marks.0.class', 'Düne');
        $fields = $this->postJson("/api/studies/$study->id/drawings", ['name' => 'fields'])->json('id');
        $ring = [[431_100, 6_071_000], [431_150, 6_071_000], [431_150, 6_071_050], [431_100, 6_071_000]];
        $this->putJson("/api/drawings/$fields/marks/00000000-0000-4000-8000-000000000009", ['geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]]])
            ->assertOk();
        self::says($this->postJson("/api/drawings/$fields/labels", ['upload' => $upload]), 'labels can be imported for points only', 'upload');
    }

    public function test_more_points_are_drawn_later_and_bring_the_labels_along(): void
    {
        [$study, $slice, $draw] = $this->drawn(8);
        $first = $this->getJson('/api/drawings/'.$this->drawing($study))->json('marks');
        $this->patchJson("/api/marks/{$first[2]['key']}", ['class' => 'land', 'sure' => 'unsure'])->assertOk();
        $inputs = ['map' => ['step' => $slice['id'], 'output' => 'classes'], 'earlier' => ['step' => $draw['id']]];
        $more = $this->step($study, 'assess.draw', $inputs, ['points' => 14]);
        self::assertSame(8, $more['figures']['earlier']);
        $drawing = collect($this->getJson("/api/studies/$study->id")->json('drawings'))->firstWhere('step', $more['id'])['id'];
        $marks = $this->getJson("/api/drawings/$drawing")->json('marks');
        self::assertCount(14, $marks);
        self::assertSame(['land', 'unsure'], [$marks[2]['class'], $marks[2]['sure']]);
    }

    public function test_points_go_out_as_geojson(): void
    {
        [$study] = $this->drawn(2);
        $point = Mark::query()->firstOrFail();
        $this->patchJson("/api/marks/$point->key", ['class' => 'land', 'note' => 'dry'])->assertOk();
        $file = $this->get("/api/drawings/{$this->drawing($study)}/file")->assertOk()->assertHeader('Content-Type', 'application/geo+json')->json();
        self::assertSame(['land', 'dry'], [$file['features'][0]['properties']['label'], $file['features'][0]['properties']['note']]);
        self::assertEqualsWithDelta([7.93, 54.79], $file['features'][0]['geometry']['coordinates'], 0.02);
        self::says($this->patchJson("/api/marks/$point->key", ['class' => str_repeat('x', 200)]), 'class', 'class');
        // what a step drew stays where it is
        self::says(
            $this->patchJson("/api/marks/$point->key", ['geometry' => ['type' => 'Point', 'coordinates' => [431_100, 6_071_900]]]),
            'were drawn by step 3',
        );
    }
}
