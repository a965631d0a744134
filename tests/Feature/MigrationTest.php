<?php

namespace Tests\Feature;

use App\Models\Item;
use App\Models\Step;
use App\Studies\LabelConsensus;
use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Str;
use Tests\TestCase;

/** Studies that were begun with an earlier version. */
class MigrationTest extends TestCase
{
    public function test_shares_among_settings_become_per_cent_and_nothing_else_changes(): void
    {
        $study = $this->study();
        $settings = [
            'correct.mask' => ['by' => 'reflectance', 'bright' => 0.29, 'white' => 0.3, 'snow' => 0.4],
            'correct.dark-object' => ['assumed' => 0.01, 'percentile' => 1],
            'assess.draw' => ['allocation' => 'neyman', 'expected' => [0.7, 0.95]],
            'derive.index' => [],
        ];
        $steps = [];
        foreach ($settings as $kind => $told) {
            $steps[$kind] = Step::query()->create([
                'study_id' => $study->id,
                'number' => count($steps) + 1,
                'kind' => $kind,
                'inputs' => [],
                'settings' => $told,
                'state' => Step::DRAFT,
            ]);
        }
        $now = fn (): array => array_map(fn (Step $step): array => $step->refresh()->settings, $steps);
        /** @var Migration&object{up: callable, down: callable} $migration */
        $migration = require database_path('migrations/2026_11_26_210000_settings_in_per_cent.php');

        $migration->up();
        self::assertEquals([
            'correct.mask' => ['by' => 'reflectance', 'bright' => 29, 'white' => 30, 'snow' => 0.4],
            'correct.dark-object' => ['assumed' => 1, 'percentile' => 1],
            'assess.draw' => ['allocation' => 'neyman', 'expected' => [70, 95]],
            'derive.index' => [],
        ], $now());
        $migration->down();
        self::assertEquals($settings, $now());
    }

    public function test_what_was_there_twice_is_there_once(): void
    {
        $study = $this->study();
        /** @var Migration&object{up: callable, down: callable} $migration */
        $migration = require database_path('migrations/2026_12_01_120000_one_of_each.php');
        $migration->down();
        $file = "$this->folder/2-derive-index-1-result.tif";
        file_put_contents($file, 'bytes of both');
        foreach ([1, 2, 2] as $number) {
            $step = Step::query()->create(['study_id' => $study->id, 'number' => $number, 'kind' => 'derive.index', 'inputs' => [], 'settings' => [],
                'state' => Step::DONE]);
            $study->pegs()->create(['letter' => 'A', 'x' => 1.0, 'y' => 2.0]);
            $number === 2 && Item::query()->create(['study_id' => $study->id, 'step_id' => $step->id, 'output' => 'result', 'type' => 'file', 'path' => $file,
                'meta' => []]);
        }
        $drawings = [$study->drawings()->create(['name' => 'fields']), $study->drawings()->create(['name' => 'fields'])];
        foreach ([5, 5, 6] as $number) {
            $drawings[0]->marks()->create(['key' => (string) Str::uuid(), 'number' => $number, 'geometry' => ['type' => 'Point', 'coordinates' => [7, 54]]]);
        }
        $migration->up();
        self::assertSame([1, 2, 3], $study->steps()->orderBy('id')->pluck('number')->all());
        self::assertSame(['A', 'B', 'C'], $study->pegs()->pluck('letter')->all());
        self::assertSame(['fields', 'fields 2'], $study->drawings()->pluck('name')->all());
        self::assertEqualsCanonicalizing([5, 6, 7], $drawings[0]->marks()->pluck('number')->all());
        $paths = $study->items()->pluck('path')->all();
        self::assertCount(2, array_unique($paths));
        self::assertSame(['bytes of both'], array_unique(array_map(fn (string $path): string|false => file_get_contents($path), $paths)));
    }

    public function test_what_people_said_becomes_a_row_of_each(): void
    {
        $drawing = $this->study()->drawings()->create(['name' => 'check points']);
        $mark = $drawing->marks()->create(['key' => (string) Str::uuid(), 'number' => 1, 'geometry' => ['type' => 'Point', 'coordinates' => [7, 54]],
            'class' => 'marsh', 'sure' => 'sure']);
        /** @var Migration&object{up: callable, down: callable} $migration */
        $migration = require database_path('migrations/2026_12_01_130000_labels.php');
        $migration->down();
        $said = ['Ada' => ['class' => 'marsh', 'second' => null, 'sure' => 'sure', 'skipped' => false],
            'Ben' => ['class' => null, 'second' => null, 'sure' => null, 'skipped' => true]];
        DB::table('marks')->update(['said' => json_encode($said)]);
        $migration->up();
        self::assertSame($said, LabelConsensus::all($mark->refresh()));
        $migration->down();
        self::assertEquals($said, json_decode((string) DB::table('marks')->value('said'), true));
        $migration->up();
    }

    public function test_places_that_were_marked_stay_when_they_are_called_pegs(): void
    {
        $study = $this->study();
        $peg = $study->pegs()->create(['letter' => 'A', 'name' => 'jetty', 'signature' => 'pasture', 'x' => 435_000.5, 'y' => 6_068_000.25]);
        $before = DB::table('pegs')->get()->all();
        /** @var Migration&object{up: callable, down: callable} $migration */
        $migration = require database_path('migrations/2026_11_27_100000_pegs.php');
        $migration->down();
        self::assertEquals($before, DB::table('pins')->get()->all());
        $migration->up();
        self::assertEquals($before, DB::table('pegs')->get()->all());
        self::assertSame('jetty', $peg->refresh()->name);
        // a study that goes takes its pegs along, as before
        $study->delete();
        self::assertSame(0, DB::table('pegs')->count());
    }

    public function test_areas_and_check_points_become_drawings_and_nothing_turns_stale_by_it(): void
    {
        [$study, $ground] = $this->ground();
        /** @var Migration&object{up: callable, down: callable} $migration */
        $migration = require database_path('migrations/2026_11_26_220000_drawings.php');
        $migration->down();
        $ring = [[7.93, 54.78], [7.94, 54.78], [7.94, 54.79], [7.93, 54.78]];
        DB::table('studies')->where('id', $study->id)->update(['area' => json_encode(['type' => 'MultiPolygon', 'coordinates' => [[$ring]]])]);
        $image = ['step' => $ground['id'], 'output' => 'result'];
        $make = fn (int $number, string $kind, array $inputs, array $used, bool $within): Step => Step::query()->create([
            'study_id' => $study->id,
            'number' => $number,
            'kind' => $kind,
            'inputs' => $inputs,
            'settings' => [],
            'used' => $used,
            'within' => $within,
            'state' => Step::DONE,
            'finished_at' => now(),
        ]);
        $item = (int) $ground['items'][0]['id'];
        $cut = $make(2, 'gather.subset', ['image' => $image, 'area' => ['area' => true]], ['image' => $item], false);
        $make(3, 'derive.index', ['image' => $image], ['image' => $item], true);
        $draw = $make(4, 'assess.draw', ['map' => $image], ['map' => $item], false);
        $points = Item::query()->create([
            'study_id' => $study->id,
            'step_id' => $draw->id,
            'output' => 'result',
            'type' => 'points',
            'path' => "$this->folder/points.geojson",
            'meta' => [],
        ]);
        $make(5, 'assess.matrix', ['map' => $image, 'points' => ['step' => $draw->id, 'output' => 'result']], ['map' => $item, 'points' => $points->id], false);
        DB::table('check_points')->insert([
            'step_id' => $draw->id,
            'number' => 1,
            'longitude' => 7.93,
            'latitude' => 54.78,
            'x' => 1,
            'y' => 2,
            'stratum' => 'land',
            'label' => 'water',
            'note' => 'seen',
            'created_at' => now()->subMinute(),
            'updated_at' => now()->subMinute(),
        ]);

        $migration->up();
        $told = $this->getJson("/api/studies/$study->id")
            ->assertOk()
            ->json();
        self::assertSame(
            [['area', null, 1], ['check points', $draw->id, 1]],
            array_map(fn (array $one): array => [$one['name'], $one['step'], $one['count']], $told['drawings']),
        );
        self::assertSame([[$ring]], $told['area']['geometry']['coordinates']);
        self::assertSame(['drawing' => $told['drawings'][0]['id']], $cut->refresh()->inputs['area']);
        self::assertSame([null, null, null, null, null], array_column($told['steps'], 'staleBy'));
        self::assertSame(1, $told['steps'][3]['labelled']);
        $mark = $this->getJson('/api/drawings/'.$told['drawings'][1]['id'])->json('marks.0');
        self::assertSame(['water', 'seen'], [$mark['class'], $mark['note']]);
        // another area from now on is another one for both
        $this->putJson("/api/studies/$study->id/area", ['bounds' => [7.9, 54.7, 8.0, 54.8]])->assertOk();
        self::assertSame([null, 0, 0, null, null], array_column($this->getJson("/api/studies/$study->id")->json('steps'), 'staleBy'));
    }
}
