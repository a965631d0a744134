<?php

namespace Tests\Feature;

use App\Models\CheckPoint;
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

    public function test_points_are_blind_to_the_map_and_the_matrix_grows_with_the_labels(): void
    {
        [$study, $slice, $draw] = $this->drawn();
        $points = $this->getJson("/api/steps/{$draw['id']}/points")->assertOk()->assertJsonCount(12)->json();
        self::assertSame(['id', 'number', 'x', 'y', 'label', 'note', 'skipped'], array_keys($points[0]));
        $this->getJson("/api/steps/{$draw['id']}/matrix")->assertOk()->assertJsonPath('points', 0)->assertJsonPath('overall', null);
        foreach ($points as $i => $point) {
            // water is in the west; one is said to be the other
            $truth = $point['x'] < 431_200 ? 'water' : 'land';
            $this->patchJson("/api/points/{$point['id']}", $i === 3 ? ['skipped' => true] : ['label' => $i === 0 ? ($truth === 'land' ? 'water' : 'land') : $truth])->assertOk();
        }
        $matrix = $this->getJson("/api/steps/{$draw['id']}/matrix")->json();
        self::assertSame([11, 1], [$matrix['points'], $matrix['unlabelled']]);
        self::assertEqualsWithDelta(10 / 11, $matrix['overall'], 1e-12);
        self::assertGreaterThan(0.5, $matrix['kappa']);
        // the step that keeps it gives the same figures, and a table
        $step = $this->step($study, 'assess.matrix', ['map' => ['step' => $slice['id'], 'output' => 'classes'], 'points' => ['step' => $draw['id']]]);
        self::assertSame([$matrix['matrix'], $matrix['overall']], [$step['figures']['matrix'], $step['figures']['overall']]);
        $csv = $this->get('/api/items/'.self::itemOf($step).'/file')->assertOk();
        self::assertStringContainsString('overall accuracy,0.909091', (string) file_get_contents($csv->baseResponse->getFile()->getPathname()));
        // a label changed since makes it stale
        $this->travel(5)->seconds();
        $this->patchJson("/api/points/{$points[0]['id']}", ['label' => null])->assertOk();
        $this->getJson("/api/studies/$study->id")->assertJsonPath('steps.3.state', 'stale')->assertJsonPath('steps.3.staleBy', 3);
    }

    public function test_labels_are_not_lost_by_drawing_anew_or_by_refreshing(): void
    {
        [$study, $slice, $draw] = $this->drawn();
        CheckPoint::query()->where('step_id', $draw['id'])->where('number', '<=', 5)->update(['label' => 'water', 'note' => 'seen']);
        $this->getJson("/api/studies/$study->id")->assertJsonPath('steps.2.labelled', 5);
        // the same places are drawn again
        $this->postJson("/api/steps/{$draw['id']}/run")->assertStatus(202)->assertJsonPath('labelled', 5);
        self::assertSame('seen', CheckPoint::query()->where('step_id', $draw['id'])->where('number', 2)->sole()->note);
        // the map is made anew; the labelled points stay until a person wants others
        $this->patchJson("/api/steps/{$slice['id']}", ['settings' => ['limits' => [0.065], 'names' => ['land', 'water']], 'run' => true])->assertOk();
        $this->postJson("/api/studies/$study->id/refresh")->assertJson(['runs' => 0, 'kept' => [3]]);
        $this->getJson("/api/studies/$study->id")->assertJsonPath('steps.2.labelled', 5)->assertJsonPath('steps.2.state', 'stale');
    }

    public function test_points_go_out_as_geojson(): void
    {
        [, , $draw] = $this->drawn(2);
        $point = CheckPoint::query()->firstOrFail();
        $this->patchJson("/api/points/$point->id", ['label' => 'land', 'note' => 'dry'])->assertOk();
        $file = $this->get("/api/steps/{$draw['id']}/points/file")->assertOk()->assertHeader('Content-Type', 'application/geo+json')->json();
        self::assertSame(['land', 'dry'], [$file['features'][0]['properties']['label'], $file['features'][0]['properties']['note']]);
        self::assertEqualsWithDelta([7.93, 54.79], $file['features'][0]['geometry']['coordinates'], 0.02);
        self::says($this->patchJson("/api/points/$point->id", ['label' => str_repeat('x', 200)]), 'label', 'label');
    }
}
