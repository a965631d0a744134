<?php

namespace Tests\Feature;

use App\Models\Mark;
use App\Models\Study;
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
        self::assertSame(['key', 'number', 'geometry', 'class', 'note', 'skipped'], array_keys($points[0]));
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
        self::assertSame([], $matrix['notes']);
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
