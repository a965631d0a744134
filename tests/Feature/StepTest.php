<?php

namespace Tests\Feature;

use App\Http\Controllers\StepController;
use App\Jobs\RunStep;
use App\Models\Item;
use App\Models\Step;
use App\Steps\Interrupted;
use Chorometra\Core\Work\Process;
use Tests\TestCase;

class StepTest extends TestCase
{
    public function test_a_file_comes_in_and_a_map_goes_out(): void
    {
        [$study, $ground] = $this->ground();
        self::assertSame(['green', 'nir'], array_column($ground['items'][0]['raster']['bands'], 'role'));
        $index = $this->step($study, 'derive.index', ['image' => ['step' => $ground['id']]], ['index' => 'ndwi']);
        self::assertEqualsWithDelta(0.6, $index['figures']['result']['bands'][0]['maximum'], 1e-6);
        $slice = $this->step(
            $study,
            'segment.slice',
            ['image' => ['step' => $index['id']]],
            ['limits' => [0], 'names' => ['land', 'water'], 'colours' => ['#aa8855', '#3a6ea5']],
        );
        self::assertSame([30 * 29, 10 * 29], array_column($slice['figures']['classes']['classes'], 'pixels'));
        // the legend belongs to the study
        $this->getJson("/api/studies/$study->id")->assertJsonPath('legend', [
            ['name' => 'land', 'colour' => '#aa8855'],
            ['name' => 'water', 'colour' => '#3a6ea5'],
        ]);
        $outlines = $this->step($study, 'deliver.outlines', ['image' => ['step' => $slice['id'], 'output' => 'classes']]);
        self::assertSame(2, $outlines['figures']['polygons']);
        $file = $this->get('/api/items/'.self::itemOf($outlines).'/file')->assertOk()->assertHeader('Content-Type', 'application/geo+json');
        self::assertCount(2, json_decode((string) $file->streamedContent() ?: (string) file_get_contents($file->getFile()->getPathname()), true)['features']);
    }

    public function test_bad_settings_are_told_before_anything_is_queued(): void
    {
        [$study, $ground] = $this->ground();
        $post = fn (array $call) => $this->postJson("/api/studies/$study->id/steps", $call + ['run' => true]);
        self::says(
            $post(['kind' => 'derive.index', 'inputs' => ['image' => ['step' => $ground['id']]], 'settings' => ['index' => 'best']]),
            'it can be ratio',
            'index',
        );
        self::says(
            $post(['kind' => 'derive.index', 'inputs' => ['image' => ['step' => $ground['id']]], 'settings' => ['colour' => 'red']]),
            'no setting',
            'colour',
        );
        self::says($post(['kind' => 'derive.index', 'inputs' => []]), 'The input image is missing', 'image');
        self::says($post(['kind' => 'derive.magic', 'inputs' => []]), 'Unknown kind of step', 'kind');
        self::says($post(['kind' => 'segment.slice', 'inputs' => ['image' => ['step' => $ground['id']]]]), 'limits is missing', 'limits');
        self::says($post(['kind' => 'gather.bundle', 'inputs' => ['image' => ['path' => '/etc/passwd']]]), 'inputs.image');
        $this->getJson("/api/studies/$study->id")->assertJsonCount(1, 'steps');
    }

    public function test_what_fails_says_why_and_by_which_setting_and_can_be_run_again(): void
    {
        [$study, $ground] = $this->ground();
        $slice = $this->step($study, 'segment.slice', ['image' => ['step' => $ground['id']]], ['limits' => [0.07], 'band' => '9'], 'failed');
        self::assertSame('band', $slice['about']);
        self::assertStringContainsString('has no band 9', $slice['problem']);
        self::assertSame([], $slice['items']);
        self::assertSame([], glob("$this->folder/files/studies/$study->id/*slice*"));
        $this->patchJson("/api/steps/{$slice['id']}", ['settings' => ['limits' => [0.07]], 'run' => true])
            ->assertOk()
            ->assertJsonPath('state', 'done')
            ->assertJsonPath('problem', null);
        // what holds nothing is a result, and is told
        $beyond = $this->step($study, 'segment.slice', ['image' => ['step' => $ground['id']]], ['limits' => [9]]);
        self::assertStringContainsString('lies outside the data: green runs from 0.06 to 0.08', $beyond['figures']['warning']);
        // an upload that is gone, one that never was
        foreach (['0123456789abcdef/x.tif', '../../../etc/passwd'] as $upload) {
            self::says(
                $this->postJson("/api/studies/$study->id/steps", ['kind' => 'gather.image', 'inputs' => ['image' => ['upload' => $upload]], 'run' => true]),
                'choose it again',
                'image',
            );
        }
        self::assertStringContainsString(
            'has no band swir1',
            $this->step($study, 'derive.index', ['image' => ['step' => $ground['id']]], ['index' => 'mndwi'], 'failed')['problem'],
        );
        self::assertStringContainsString(
            'no radiance gain',
            $this->step($study, 'correct.calibrate', ['image' => ['step' => $ground['id']]], ['to' => 'radiance'], 'failed')['problem'],
        );
    }

    public function test_inputs_that_can_not_be_are_refused_when_a_step_is_set_up(): void
    {
        [$study, $ground] = $this->ground();
        $post = fn (string $kind, array $inputs, array $settings = []) => $this->postJson("/api/studies/$study->id/steps", [
            'kind' => $kind,
            'inputs' => $inputs,
            'settings' => $settings,
        ]);
        $count = count($this->getJson("/api/studies/$study->id")->json('steps'));
        self::says($post('derive.index', ['image' => ['step' => 9999]]), 'The input image is missing: choose what to work on', 'image');
        self::says($post('derive.index', ['image' => ['step' => $ground['id'], 'output' => 'nothing']]), 'makes no “nothing”', 'image');
        // values are no classes, classes are no points
        self::says($post('assess.draw', ['map' => ['step' => $ground['id']]]), 'holds an image of values, and the input map needs a class map', 'map', 422);
        $slice = $this->step($study, 'segment.slice', ['image' => ['step' => $ground['id']]], ['limits' => [0.07]]);
        self::says(
            $post('assess.matrix', ['map' => ['step' => $slice['id'], 'output' => 'classes'], 'points' => ['step' => $slice['id'], 'output' => 'segments']]),
            'makes segments, and the input points needs points',
            'points',
        );
        self::assertCount($count + 1, $this->getJson("/api/studies/$study->id")->json('steps'), 'nothing was set up');
        // a step that has not run may be pointed to, itself and what hangs on it may not
        $index = $post('derive.index', ['image' => ['step' => $ground['id']]], ['index' => 'ndwi'])
            ->assertStatus(201)
            ->json();
        $next = $post('correct.gaps', ['image' => ['step' => $index['id']]])
            ->assertStatus(201)
            ->json();
        $last = $post('correct.gaps', ['image' => ['step' => $next['id']]])
            ->assertStatus(201)
            ->json();
        self::says(
            $this->patchJson("/api/steps/{$index['id']}", ['inputs' => ['image' => ['step' => $index['id']]]]),
            "can't use its own result",
            'image',
        );
        self::says(
            $this->patchJson("/api/steps/{$index['id']}", ['inputs' => ['image' => ['step' => $last['id']]]]),
            "Step {$last['number']} uses the result of step {$index['number']}",
            'image',
        );
    }

    public function test_run_again_makes_what_hangs_on_it_stale_until_it_is_refreshed(): void
    {
        [$study, $ground] = $this->ground();
        $index = $this->step($study, 'derive.index', ['image' => ['step' => $ground['id']]], ['index' => 'ndwi']);
        $slice = $this->step($study, 'segment.slice', ['image' => ['step' => $index['id']]], ['limits' => [0]]);
        $outlines = $this->step($study, 'deliver.outlines', ['image' => ['step' => $slice['id'], 'output' => 'classes']]);
        $old = Item::query()->findOrFail(self::itemOf($index))->path;
        $this->patchJson("/api/steps/{$index['id']}", ['settings' => ['index' => 'ndvi', 'red' => 'green'], 'run' => true])->assertJsonPath('state', 'done');
        self::assertFileDoesNotExist($old);
        $states = fn (): array => array_column($this->getJson("/api/studies/$study->id")->json('steps'), 'state', 'number');
        self::assertSame([1 => 'done', 2 => 'done', 3 => 'stale', 4 => 'stale'], $states());
        $this->getJson("/api/studies/$study->id")->assertJsonPath('steps.2.staleBy', 2)->assertJsonPath('steps.3.staleBy', 3);
        $this->postJson("/api/studies/$study->id/refresh")->assertStatus(202)->assertJson(['runs' => 2, 'kept' => []]);
        self::assertSame([1 => 'done', 2 => 'done', 3 => 'done', 4 => 'done'], $states());
        // what is above the limit has changed sides: vegetation is high where water was low
        self::assertSame(10 * 29, Step::query()->findOrFail($slice['id'])->figures['classes']['classes'][0]['pixels']);
        self::assertNotSame($outlines['items'][0]['id'], $this->getJson("/api/studies/$study->id")->json('steps.3.items.0.id'));
    }

    public function test_notes_and_removal(): void
    {
        [$study, $ground] = $this->ground();
        $index = $this->step($study, 'derive.index', ['image' => ['step' => $ground['id']]], ['index' => 'ndwi']);
        $this->patchJson("/api/steps/{$index['id']}", ['note' => 'clear day'])
            ->assertOk()
            ->assertJsonPath('note', 'clear day')
            ->assertJsonPath('state', 'done');
        self::says($this->deleteJson("/api/steps/{$ground['id']}"), 'Step 2 uses the result of step 1');
        $path = Item::query()->findOrFail(self::itemOf($index))->path;
        self::assertFileExists($path);
        $this->deleteJson("/api/steps/{$index['id']}")->assertNoContent();
        self::assertFileDoesNotExist($path);
        $this->deleteJson("/api/steps/{$ground['id']}")->assertNoContent();
    }

    public function test_a_kind_that_is_gone_takes_nothing_else_with_it(): void
    {
        [$study, $ground] = $this->ground();
        foreach (['derive.goneby', 'conjure.up'] as $k => $kind) {
            Step::query()->create(['study_id' => $study->id, 'number' => 2 + $k, 'kind' => $kind, 'inputs' => ['image' => ['step' => $ground['id']]],
                'settings' => ['x' => 1], 'figures' => ['pixels' => 5], 'state' => Step::DONE]);
        }
        $this->getJson("/api/studies/$study->id")->assertOk()->assertJsonPath('steps.1.title', 'Step of an unknown kind (derive.goneby)')
            ->assertJsonPath('steps.1.state', 'done');
        $this->getJson("/api/studies/$study->id/news")->assertOk();
        $this->getJson('/api/work')->assertOk();
        $gone = Step::query()->where('kind', 'derive.goneby')->sole();
        $this->getJson("/api/steps/$gone->id")->assertOk();
        self::says($this->postJson("/api/steps/$gone->id/run"), 'Unknown kind of step “derive.goneby”');
        $this->step($study, 'derive.index', ['image' => ['step' => $ground['id']]], ['index' => 'ndwi']);
        $this->deleteJson("/api/steps/$gone->id")->assertNoContent();
    }

    public function test_a_jump_of_the_clock_ends_no_step(): void
    {
        [$study, $ground] = $this->ground();
        $step = Step::query()->findOrFail($ground['id']);
        // this process runs it, whatever the clock said when it began
        foreach ([now()->subYear(), now()->addYear()] as $began) {
            $step->update(['state' => Step::RUNNING, 'pid' => getmypid(), 'process' => Process::mark((int) getmypid()), 'started_at' => $began]);
            Interrupted::mark();
            self::assertSame(Step::RUNNING, $step->refresh()->state);
        }
        // another process that has its number by now does not
        $step->update(['process' => 'another 1']);
        Interrupted::mark();
        self::assertSame(Step::FAILED, $step->refresh()->state);
    }

    public function test_a_step_whose_worker_is_gone_says_so_and_leaves_nothing(): void
    {
        [$study, $ground] = $this->ground();
        $index = Step::query()->findOrFail($this->step($study, 'derive.index', ['image' => ['step' => $ground['id']]], ['index' => 'ndwi'])['id']);
        $before = $index->items()->sole()->path;
        // as kill -9 leaves it: marked as running by a process that is no more, with pieces on the disk
        $process = proc_open(['true'], [], $pipes);
        self::assertIsResource($process);
        $pid = proc_get_status($process)['pid'];
        proc_close($process);
        $index->update(['state' => Step::RUNNING, 'pid' => $pid, 'progress' => 0.5]);
        mkdir("$this->folder/files/temporary/chorometra-$pid-0123abcd", recursive: true);
        $folder = $study->folder();
        mkdir("$folder/2-derive-index-$index->id-2-result.tif.$pid.part");
        touch("$folder/2-derive-index-$index->id-2-result.tif");
        Interrupted::mark();
        $this->getJson("/api/studies/$study->id")
            ->assertJsonPath('steps.1.state', 'failed')
            ->assertJsonPath('steps.1.problem', 'The worker was terminated during this step; nothing was changed. Run it again.');
        $left = fn (string $pattern): array => glob($pattern) ?: [];
        self::assertSame([], [
            ...$left("$folder/*.part"), ...$left("$folder/2-derive-index-$index->id-2-*"), ...$left("$this->folder/files/temporary/*"),
        ]);
        self::assertFileExists($before, 'what the last run made is still there');
        $this->postJson("/api/steps/$index->id/run")->assertStatus(202)->assertJsonPath('state', 'done');
    }

    public function test_a_waiting_step_can_be_stopped_and_work_tells_of_all(): void
    {
        [$study, $ground] = $this->ground();
        $step = Step::query()->findOrFail($ground['id']);
        $step->update(['state' => Step::WAITING]);
        self::says($this->postJson("/api/steps/$step->id/run"), 'is waiting already');
        self::says($this->patchJson("/api/steps/$step->id", ['settings' => []]), 'stop it before you change it');
        self::says($this->deleteJson("/api/steps/$step->id"), 'stop it first');
        self::says($this->deleteJson("/api/studies/$study->id"), 'stop them first');
        $this->getJson('/api/work')->assertOk()->assertJsonPath('0.studyName', 'Trial ground')->assertJsonPath('0.state', 'waiting');
        $this->postJson("/api/steps/$step->id/stop")->assertStatus(202)->assertJsonPath('state', 'stopped');
        // its job comes too late and does nothing
        (new RunStep($step->id))->handle();
        self::assertSame(Step::STOPPED, $step->refresh()->state);
    }

    public function test_wrong_files_are_told_at_once(): void
    {
        $study = $this->study();
        file_put_contents("$this->folder/letter.txt", 'dear all');
        self::says($this->upload($study, "$this->folder/letter.txt"), 'letter.txt is neither a scene bundle');
        self::assertSame([], glob($study->folder().'/uploads/*'));
        self::says($this->post("/api/studies/$study->id/uploads", [], ['Accept' => 'application/json']), 'No file arrived');
        $picture = imagecreatetruecolor(4, 3);
        self::assertNotFalse($picture);
        imagepng($picture, "$this->folder/p.png");
        file_put_contents("$this->folder/p.pgw", "2\n0\n0\n-2\n101\n199\n");
        $upload = $this->upload($study, "$this->folder/p.pgw", "$this->folder/p.png")
            ->assertStatus(201)
            ->assertJsonPath('kind', 'gather.image')
            ->json('upload');
        $step = $this->step($study, 'gather.image', ['image' => ['upload' => $upload]]);
        self::assertEquals([100, 2, 0, 200, 0, -2], $step['items'][0]['raster']['transform']);
    }

    public function test_a_step_that_a_worker_takes_while_it_is_stopped_is_asked_to_stop(): void
    {
        [$study, $ground] = $this->ground();
        $step = Step::query()->findOrFail($ground['id']);
        $step->update(['state' => Step::WAITING]);
        $asStopFoundIt = Step::query()->findOrFail($step->id);
        Step::query()->whereKey($step->id)->update(['state' => Step::RUNNING, 'pid' => getmypid(), 'started_at' => now()]);
        (new StepController)->stop($asStopFoundIt);
        self::assertSame([Step::RUNNING, true], [$step->refresh()->state, $step->stop]);

        $step->update(['state' => Step::WAITING, 'stop' => false]);
        $this->postJson("/api/steps/$step->id/stop")
            ->assertStatus(202)
            ->assertJsonPath('state', 'stopped')
            ->assertJsonPath('problem', 'Stopped before it started.');
    }
}
