<?php

namespace Tests\Feature;

use App\Jobs\RunStep;
use App\Models\Item;
use App\Models\Step;
use App\Steps\StepQueue;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\DB;
use Tests\TestCase;

/** Two queues: short work never waits for long work, and yet everything comes in its turn. */
class QueueTest extends TestCase
{
    private function work(string $queue): void
    {
        Artisan::call('queue:work', ['connection' => 'database', '--queue' => $queue, '--once' => true, '--tries' => 1, '--quiet' => true]);
    }

    /** @return list<string> */
    private function queues(): array
    {
        return DB::table('jobs')->orderBy('id')->pluck('queue')->all();
    }

    public function test_work_goes_to_the_queue_it_belongs_to(): void
    {
        [$study, $ground] = $this->ground();
        config(['queue.default' => 'database']);
        $image = ['image' => ['step' => $ground['id']]];
        $make = fn (string $kind, array $inputs, array $settings = [], ?array $figures = null): Step => Step::query()->create([
            'study_id' => $study->id,
            'number' => 1 + (int) $study->steps()->max('number'),
            'kind' => $kind,
            'inputs' => $inputs,
            'settings' => $settings,
            'figures' => $figures,
            'state' => Step::DRAFT,
        ]);
        StepQueue::run($make('derive.index', $image, ['index' => 'ndwi']));
        // one that took long the last time, one that waits for others by nature, one that looks at a large image
        StepQueue::run($make('derive.index', $image, ['index' => 'ndwi'], ['seconds' => 90.0]));
        StepQueue::run($make('gather.order', [], ['archive' => 'http://127.0.0.1/standin/archive', 'collection' => 'a', 'scene' => 'b']));
        $item = Item::query()->findOrFail(self::itemOf($ground));
        $item->update(['meta' => ['width' => 5000, 'height' => 5000] + $item->meta]);
        StepQueue::run($make('derive.index', $image, ['index' => 'ndwi']));
        self::assertSame(['short', 'long', 'long', 'long'], $this->queues());
    }

    public function test_a_step_waits_for_what_it_works_on(): void
    {
        [$study, $ground] = $this->ground();
        config(['queue.default' => 'database']);
        $index = Step::query()->create([
            'study_id' => $study->id,
            'number' => 2,
            'kind' => 'derive.index',
            'inputs' => ['image' => ['step' => $ground['id']]],
            'settings' => ['index' => 'ndwi'],
            'figures' => ['seconds' => 90.0],
            'state' => Step::DRAFT,
        ]);
        $slice = Step::query()->create([
            'study_id' => $study->id,
            'number' => 3,
            'kind' => 'segment.slice',
            'inputs' => ['image' => ['step' => $index->id]],
            'settings' => ['limits' => [0]],
            'state' => Step::DRAFT,
        ]);
        StepQueue::run($index);
        StepQueue::run($slice);
        self::assertSame(['long', 'short'], $this->queues());
        // the short one comes first and waits; asking again does not queue it twice
        $this->work('short');
        self::assertSame(['waiting', 'waiting for step 2'], [$slice->refresh()->state, $slice->doing]);
        self::assertSame(['long', 'short'], $this->queues());
        self::says($this->postJson("/api/steps/$slice->id/run"), 'is waiting already');
        $this->work('long');
        self::assertSame('done', $index->refresh()->state);
        $this->travel(2)->seconds();
        $this->work('short');
        self::assertSame('done', $slice->refresh()->state, (string) $slice->problem);
        self::assertSame([], $this->queues());
    }

    public function test_what_another_step_reads_is_not_replaced_under_its_hands(): void
    {
        [$study, $ground] = $this->ground();
        $index = $this->step($study, 'derive.index', ['image' => ['step' => $ground['id']]], ['index' => 'ndwi']);
        $slice = $this->step($study, 'segment.slice', ['image' => ['step' => $index['id']]], ['limits' => [0]]);
        config(['queue.default' => 'database']);
        Step::query()->whereKey($slice['id'])->update(['state' => Step::RUNNING, 'pid' => getmypid(), 'started_at' => now()]);
        StepQueue::run(Step::query()->findOrFail($index['id']));
        (new RunStep($index['id']))->handle();
        $step = Step::query()->findOrFail($index['id']);
        self::assertSame([Step::WAITING, "waiting for step {$slice['number']}", 1], [$step->state, $step->doing, $step->runs]);
        Step::query()->whereKey($slice['id'])->update(['state' => Step::DONE, 'pid' => null]);
        (new RunStep($index['id']))->handle();
        self::assertSame([Step::DONE, 2], [$step->refresh()->state, $step->runs]);
    }

    public function test_news_tell_how_a_curve_grows(): void
    {
        $study = $this->study();
        $step = Step::query()->create([
            'study_id' => $study->id,
            'number' => 1,
            'kind' => 'gather.order',
            'inputs' => [],
            'settings' => [],
            'state' => Step::RUNNING,
            'pid' => getmypid(),
            'started_at' => now(),
            'progress' => 0.5,
        ]);
        $step->update(['growing' => ['along' => [[0, 0], [1.5, 2.25]]]]);
        $busy = $this->getJson("/api/studies/$study->id/news")
            ->assertOk()
            ->json('busy.0');
        self::assertSame(
            [
                [
                    'type' => 'curve',
                    'label' => 'fetched',
                    'columns' => [['label' => 'time', 'unit' => 's'], ['label' => 'fetched', 'unit' => 'MB']],
                    'rows' => [[0, 0], [1.5, 2.25]],
                ],
            ],
            $busy['growing'],
        );
        $step->fail('It broke off.');
        $this->getJson("/api/studies/$study->id/news")->assertJsonPath('busy', [])->assertJsonPath('steps.0.growing', []);
    }

    public function test_rows_of_a_table_come_by_window_column_and_order(): void
    {
        [$study, $ground] = $this->ground();
        $path = "$this->folder/table.csv";
        file_put_contents($path, "place,height\n".implode('', array_map(fn (int $i): string => "place $i,".($i * 37) % 101 ."\n", range(0, 100))));
        $item = Item::query()->create([
            'study_id' => $study->id,
            'step_id' => $ground['id'],
            'output' => 'table',
            'type' => 'table',
            'path' => $path,
            'meta' => [],
        ]);
        $url = "/api/items/$item->id/rows";
        $this->getJson("$url?from=98&count=50")
            ->assertOk()
            ->assertJsonPath('count', 101)
            ->assertJsonPath('rows', [['place 98', (98 * 37) % 101], ['place 99', (99 * 37) % 101], ['place 100', (100 * 37) % 101]]);
        $this->getJson("$url?by=height&descending=1&count=2&columns[]=height")
            ->assertOk()
            ->assertJsonPath('rows', [[100], [99]])
            ->assertJsonPath('columns', [['name' => 'height', 'unit' => null]]);
        self::says($this->getJson("$url?by=depth"), 'no column “depth”', 'columns');
        $this->getJson("$url?count=5000")->assertStatus(422);
        $this->getJson('/api/items/'.self::itemOf($ground).'/rows')->assertNotFound();
    }
}
