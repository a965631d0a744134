<?php

namespace Tests\Feature;

use App\Jobs\RunStep;
use App\Models\Step;
use App\Models\Study;
use App\Studies\DemoStudy;
use Chorometra\Demo\Simulator;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Queue;
use Symfony\Component\Yaml\Yaml;
use Tests\TestCase;

class StudyTest extends TestCase
{
    public function test_a_study_is_begun_listed_renamed_and_removed(): void
    {
        $id = $this->postJson('/api/studies', ['name' => 'Lower marsh'])->assertStatus(201)->assertJsonPath('steps', [])->json('id');
        $this->getJson('/api/studies')->assertOk()->assertJsonPath('0.name', 'Lower marsh')->assertJsonPath('0.picture', null);
        $this->patchJson("/api/studies/$id", ['name' => 'Upper marsh'])->assertOk();
        $this->getJson("/api/studies/$id")->assertOk()->assertJsonPath('name', 'Upper marsh');
        $this->deleteJson("/api/studies/$id")->assertNoContent();
        self::says($this->getJson("/api/studies/$id"), 'no longer exists', status: 404);
    }

    public function test_a_study_needs_a_name(): void
    {
        self::says($this->postJson('/api/studies', []), 'Give the study a name', 'name');
        self::says($this->postJson('/api/studies', ['name' => str_repeat('x', 121)]), 'at most 120 letters', 'name');
    }

    public function test_a_browser_is_sent_what_changed_since_its_version_and_nothing_else(): void
    {
        [$study, ['id' => $scene]] = $this->ground();
        $all = $this->getJson("/api/studies/$study->id/news")->assertOk()->json();
        self::assertSame([$scene], $all['order']);
        self::assertNotEmpty($all['steps'][0]['items'][0]['raster']['bands']);
        self::assertNull($all['steps'][0]['figures'], 'figures come with the step');
        self::assertNotEmpty($this->getJson("/api/steps/$scene")->assertOk()->json('figures'));
        $news = fn (int $since) => $this->getJson("/api/studies/$study->id/news?since=$since");
        $news($all['version'])->assertNoContent();

        $this->postJson("/api/studies/$study->id/pegs", ['x' => 1, 'y' => 2])->assertStatus(201);
        $pegged = $news($all['version'])->assertOk()->assertJsonPath('pegs.0.letter', 'A')->assertJsonPath('steps', [])->json();
        $index = $this->step($study, 'derive.index', ['image' => ['step' => $scene, 'output' => 'result']], ['index' => 'ndwi'])['id'];
        $made = $news($pegged['version'])->assertOk()->json();
        self::assertSame([$index], array_column($made['steps'], 'id'));
        self::assertSame([$scene, $index], $made['order']);
        $this->deleteJson("/api/steps/$index")->assertNoContent();
        $news($made['version'])->assertOk()->assertJsonPath('order', [$scene])->assertJsonPath('steps', []);
    }

    public function test_progress_is_told_without_sending_the_step_again(): void
    {
        [$study, ['id' => $scene]] = $this->ground();
        $step = Step::query()->findOrFail($scene);
        $step->update(['state' => Step::RUNNING, 'pid' => getmypid(), 'started_at' => now()]);
        $version = $study->refresh()->version;
        $step->update(['progress' => 0.25, 'doing' => 'reading']);
        $news = $this->getJson("/api/studies/$study->id/news?since=$version")
            ->assertOk()
            ->assertJsonPath('steps', [])
            ->json();
        self::assertEquals(
            ['id' => $scene, 'state' => 'running', 'progress' => 0.25, 'doing' => 'reading', 'growing' => []],
            array_diff_key($news['busy'][0], ['secondsLeft' => 0]),
        );
        $step->update(['state' => Step::DONE]);
        $this->getJson("/api/studies/$study->id/news?since={$news['version']}")->assertJsonPath('busy', [])->assertJsonPath('steps.0.state', 'done');
    }

    public function test_what_became_stale_is_told_of_steps_that_did_not_change(): void
    {
        [$study, ['id' => $scene]] = $this->ground();
        $index = $this->step($study, 'derive.index', ['image' => ['step' => $scene, 'output' => 'result']], ['index' => 'ndwi'])['id'];
        $version = $study->refresh()->version;
        $this->postJson("/api/steps/$scene/run")->assertStatus(202);
        $news = $this->getJson("/api/studies/$study->id/news?since=$version")->json();
        self::assertSame([$scene], array_column($news['steps'], 'id'));
        self::assertSame([$index => 1], $news['stale']);
        self::assertSame('stale', $this->getJson("/api/steps/$index")->json('state'));
    }

    public function test_the_news_of_a_long_trail_are_as_small_as_those_of_a_short_one(): void
    {
        [$study, ['id' => $scene]] = $this->ground();
        $news = function () use ($study, $scene): array {
            $version = $study->refresh()->version;
            Step::query()->findOrFail($scene)->update(['note' => "at $version"]);
            DB::flushQueryLog();
            DB::enableQueryLog();
            $answer = $this->getJson("/api/studies/$study->id/news?since=$version")->assertOk();

            return [count($answer->json('steps')), strlen((string) json_encode($answer->json('steps'))), count(DB::getQueryLog())];
        };
        $short = $news();
        $first = Step::query()->findOrFail($scene);
        for ($number = 2; $number <= 200; $number++) {
            $first->replicate()->fill(['number' => $number, 'inputs' => ['image' => ['step' => $scene]], 'kind' => 'derive.index'])->save();
        }
        [$steps, $bytes, $queries] = $news();
        self::assertSame([$short[0], $short[2]], [$steps, $queries]);
        self::assertEqualsWithDelta($short[1], $bytes, 8);
    }

    public function test_how_the_views_look_is_kept_and_is_no_news_to_others(): void
    {
        $study = $this->study();
        $this->patchJson("/api/studies/$study->id", ['look' => ['centre' => [1, 2]]])->assertOk();
        $this->getJson("/api/studies/$study->id")->assertJsonPath('look.centre', [1, 2])->assertJsonPath('version', $study->version);
    }

    public function test_pins_get_letters_names_and_places(): void
    {
        $study = $this->study();
        $a = $this->postJson("/api/studies/$study->id/pegs", ['x' => 431_010.5, 'y' => 6_071_990])->assertStatus(201)->json();
        $b = $this->postJson("/api/studies/$study->id/pegs", ['x' => 5, 'y' => 6])->json();
        self::assertSame(['A', 'B'], [$a['letter'], $b['letter']]);
        $this->deleteJson("/api/pegs/{$a['id']}")->assertNoContent();
        // brought back by undoing, it keeps its letter
        $this->postJson("/api/studies/$study->id/pegs", ['x' => 1, 'y' => 2, 'letter' => 'A', 'name' => 'channel'])
            ->assertJsonPath('letter', 'A')
            ->assertJsonPath('name', 'channel');
        $this->patchJson("/api/pegs/{$b['id']}", ['x' => 7.5, 'name' => 'marsh'])
            ->assertOk()
            ->assertJsonPath('x', 7.5)
            ->assertJsonPath('name', 'marsh');
        self::says($this->postJson("/api/studies/$study->id/pegs", ['x' => 'west', 'y' => 2]), 'x field must be a number', 'x');
        for ($i = 0; $i < 24; $i++) {
            $this->postJson("/api/studies/$study->id/pegs", ['x' => 1, 'y' => 2])->assertStatus(201);
        }
        self::says($this->postJson("/api/studies/$study->id/pegs", ['x' => 1, 'y' => 2]), 'All 26 letters are taken');
    }

    public function test_kinds_tell_all_that_the_desk_needs(): void
    {
        $kinds = $this->getJson('/api/kinds')->assertOk()->json();
        $slice = array_values(array_filter($kinds, fn (array $kind): bool => $kind['id'] === 'segment.slice'))[0];
        self::assertSame(['segment', true], [$slice['stage'], $slice['triable']]);
        self::assertSame('numbers', array_column($slice['settings'], 'type', 'name')['limits']);
    }

    public function test_the_answers_are_those_of_the_openapi_document(): void
    {
        $document = Yaml::parseFile(base_path('docs/openapi.yaml'));
        $documented = [];
        foreach ($document['paths'] as $path => $methods) {
            foreach (array_diff(array_keys($methods), ['parameters']) as $method) {
                $documented[] = strtoupper($method).' api'.$path;
            }
        }
        $routes = [];
        foreach (app('router')->getRoutes() as $route) {
            if (str_starts_with($route->uri(), 'api/')) {
                $routes[] = $route->methods()[0].' '.$route->uri();
            }
        }
        self::assertEqualsCanonicalizing($routes, $documented);
        [$study] = $this->ground();
        $answer = $this->getJson("/api/studies/$study->id")->json();
        foreach (
            [
                'Study' => $answer,
                'Step' => $answer['steps'][0],
                'Item' => $answer['steps'][0]['items'][0],
                'Raster' => $answer['steps'][0]['items'][0]['raster'],
                'News' => $this->getJson("/api/studies/$study->id/news")->json(),
            ] as $name => $part
        ) {
            $schema = $document['components']['schemas'][$name];
            self::assertEqualsCanonicalizing(array_keys($schema['properties']), array_keys($part), $name);
            self::assertSame([], array_diff($schema['required'], array_keys($part)), $name);
        }
    }

    public function test_the_demo_study_begins_with_an_order(): void
    {
        Queue::fake();
        Simulator::make("$this->folder/demo");
        DemoStudy::prepare();
        DemoStudy::prepare();
        $study = Study::query()->sole();
        self::assertSame('Orvane Sound', $study->name);
        $step = $this->getJson("/api/studies/$study->id")->json('steps.0');
        self::assertSame(['gather.order', 'waiting', 'VL1_ORVANE_20310512'], [$step['kind'], $step['state'], $step['settings']['scene']]);
        Queue::assertPushed(RunStep::class, 1);
        $this->getJson('/api/demo')->assertJsonCount(2)->assertJsonPath('0.date', '2031-05-12');
        // removed, it can be had anew
        $this->postJson("/api/steps/{$step['id']}/stop")->assertJsonPath('state', 'stopped');
        $this->deleteJson("/api/studies/$study->id");
        $this->postJson('/api/demo')->assertStatus(201)->assertJsonPath('steps.0.state', 'waiting');
    }

    public function test_an_exercise_begins_with_its_first_steps_in_the_queue(): void
    {
        Queue::fake();
        Simulator::make("$this->folder/demo");
        $study = $this->postJson('/api/exercises/first-map')->assertStatus(201)->json();
        self::assertSame('A first map', $study['name']);
        self::assertSame(['gather.bundle', 'correct.calibrate'], array_column($study['steps'], 'kind'));
        self::assertSame(['image' => ['step' => $study['steps'][0]['id'], 'output' => 'multispectral']], $study['steps'][1]['inputs']);
        Queue::assertPushed(RunStep::class);
        // how far one is stands on the page of studies
        self::assertSame(['name' => 'first-map', 'at' => 0, 'isOpen' => true], $this->getJson('/api/studies')->json('0.exercise'));
        $this->patchJson("/api/studies/{$study['id']}", ['look' => ['exercise' => ['name' => 'first-map', 'at' => 3, 'isOpen' => false]]])->assertOk();
        self::assertSame(3, $this->getJson('/api/studies')->json('0.exercise.at'));
        foreach (['none', 'FIRST-MAP', 'first-map.json'] as $name) {
            self::says($this->postJson("/api/exercises/$name"), 'no such exercise', 'exercise');
        }
    }
}
