<?php

namespace Tests\Feature;

use App\Jobs\RunStep;
use App\Models\Study;
use App\Support\DemoStudy;
use Chorometra\Demo\Simulator;
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
        self::says($this->getJson("/api/studies/$id"), 'not there', status: 404);
    }

    public function test_a_study_needs_a_name(): void
    {
        self::says($this->postJson('/api/studies', []), 'Give the study a name', 'name');
        self::says($this->postJson('/api/studies', ['name' => str_repeat('x', 121)]), 'at most 120 letters', 'name');
    }

    public function test_a_browser_that_has_the_present_version_is_sent_nothing(): void
    {
        $study = $this->study();
        $version = $this->getJson("/api/studies/$study->id")->json('version');
        $this->getJson("/api/studies/$study->id?version=$version")->assertNoContent();
        $this->postJson("/api/studies/$study->id/pins", ['x' => 1, 'y' => 2])->assertStatus(201);
        $this->getJson("/api/studies/$study->id?version=$version")->assertOk()->assertJsonPath('pins.0.letter', 'A');
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
        $a = $this->postJson("/api/studies/$study->id/pins", ['x' => 431_010.5, 'y' => 6_071_990])->assertStatus(201)->json();
        $b = $this->postJson("/api/studies/$study->id/pins", ['x' => 5, 'y' => 6])->json();
        self::assertSame(['A', 'B'], [$a['letter'], $b['letter']]);
        $this->deleteJson("/api/pins/{$a['id']}")->assertNoContent();
        // brought back by undoing, it keeps its letter
        $this->postJson("/api/studies/$study->id/pins", ['x' => 1, 'y' => 2, 'letter' => 'A', 'name' => 'channel'])->assertJsonPath('letter', 'A')->assertJsonPath('name', 'channel');
        $this->patchJson("/api/pins/{$b['id']}", ['x' => 7.5, 'name' => 'marsh'])->assertOk()->assertJsonPath('x', 7.5)->assertJsonPath('name', 'marsh');
        self::says($this->postJson("/api/studies/$study->id/pins", ['x' => 'west', 'y' => 2]), 'x field must be a number', 'x');
        for ($i = 0; $i < 24; $i++) {
            $this->postJson("/api/studies/$study->id/pins", ['x' => 1, 'y' => 2])->assertStatus(201);
        }
        self::says($this->postJson("/api/studies/$study->id/pins", ['x' => 1, 'y' => 2]), 'All 26 letters are taken');
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
        foreach (['Study' => $answer, 'Step' => $answer['steps'][0], 'Item' => $answer['steps'][0]['items'][0], 'Raster' => $answer['steps'][0]['items'][0]['raster']] as $name => $part) {
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
}
