<?php

namespace Tests\Feature;

use App\Jobs\RunStep;
use App\Models\Step;
use App\Services\Outgoing;
use App\Steps\Interrupted;
use App\Steps\StepQueue;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Process;
use Illuminate\Http\UploadedFile;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\DB;
use Tests\TestCase;

/** What comes from outside, and workers that are killed: nothing is lost, nothing is left. */
class HoldTest extends TestCase
{
    public function test_a_job_that_a_killed_worker_had_taken_goes_on(): void
    {
        [$study, $ground] = $this->ground();
        config(['queue.default' => 'database']);
        $make = fn (): Step => $study
            ->steps()
            ->create([
                'number' => 1 + (int) $study->steps()->max('number'),
                'kind' => 'derive.index',
                'inputs' => ['image' => ['step' => $ground['id']]],
                'settings' => ['index' => 'ndwi'],
                'state' => Step::DRAFT,
            ]);
        [$taken, $lost, $queued] = [$make(), $make(), $make()];
        foreach ([$taken, $lost, $queued] as $step) {
            StepQueue::run($step);
        }
        $jobs = DB::table('jobs')->orderBy('id')->pluck('id')->all();
        // one was taken by a worker that was killed before it could say so, of one even the job is gone
        DB::table('jobs')->where('id', $jobs[0])->update(['reserved_at' => time(), 'attempts' => 1]);
        DB::table('jobs')->where('id', $jobs[1])->delete();

        // by asking again
        $this->postJson("/api/steps/$lost->id/run")->assertStatus(202);
        self::assertSame(1, DB::table('jobs')->where('payload', 'like', "%i:$lost->id;%")->count());
        self::says($this->postJson("/api/steps/$queued->id/run"), 'is waiting already');

        // by the next worker
        DB::table('jobs')->where('payload', 'like', "%i:$lost->id;%")->delete();
        StepQueue::putBack('short');
        self::assertSame(3, DB::table('jobs')->whereNull('reserved_at')->count());
        // twice in the queue, it is done once
        StepQueue::putBack('short');
        self::assertSame(3, DB::table('jobs')->count());
        foreach (range(1, 4) as $ignored) {
            Artisan::call('queue:work', ['connection' => 'database', '--once' => true, '--tries' => 1, '--queue' => 'short', '--quiet' => true]);
        }
        self::assertSame(0, DB::table('jobs')->count());
        self::assertSame(['done', 'done', 'done'], [$taken->refresh()->state, $lost->refresh()->state, $queued->refresh()->state]);
        // another job for what is done does nothing
        (new RunStep($taken->id))->handle();
        $taken->refresh();
        self::assertSame(1, $taken->runs);
    }

    public function test_an_upload_that_can_not_be_read_leaves_nothing(): void
    {
        $study = $this->study();
        file_put_contents("$this->folder/broken.tif", "II\x2a\0\xff\xff\xff\xff");
        file_put_contents("$this->folder/odd.txt", 'hello');
        foreach (['broken.tif', 'odd.txt'] as $name) {
            $this->upload($study, "$this->folder/$name")->assertStatus(422);
        }
        self::assertSame([], glob($study->folder().'/uploads/*'));
    }

    public function test_names_in_other_encodings_and_without_end(): void
    {
        $study = $this->study();
        $path = $this->image('a.tif', 4, 4, ['red' => array_fill(0, 16, 0.5)]);
        $send = function (string $name) use ($study, $path): string {
            copy($path, "$path.sent");
            $answer = $this->post(
                "/api/studies/$study->id/uploads",
                ['files' => [new UploadedFile("$path.sent", $name, null, null, true)]],
                ['Accept' => 'application/json'],
            )->assertStatus(201);

            return (string) $answer->json('name');
        };
        self::assertSame('Küste.tif', $send("K\xFCste.tif"));
        self::assertSame(str_repeat('x', 120).'.tif', $send(str_repeat('x', 300).'.tif'));
        self::assertSame('-.-b.tif', $send("..\\..\0/\n.\rb.tif"));
        self::assertSame(120, strlen(Files::name(str_repeat('é', 300).'', 'file')));
        copy($path, "$path.sent");
        self::says(
            $this->post(
                "/api/studies/$study->id/uploads",
                ['count' => 30, 'files' => [new UploadedFile("$path.sent", 'a.tif', null, null, true)]],
                ['Accept' => 'application/json'],
            ),
            'Of 30 files 1 arrived',
        );
    }

    public function test_texts_that_are_no_texts(): void
    {
        $study = $this->study();
        self::says($this->post('/api/studies', ['name' => "Watt\xFF"], ['Accept' => 'application/json']), 'not UTF-8', 'name');
        self::says(
            $this->call(
                'PATCH',
                "/api/studies/$study->id",
                [],
                [],
                [],
                ['CONTENT_TYPE' => 'application/json', 'HTTP_ACCEPT' => 'application/json', 'HTTP_ORIGIN' => 'http://127.0.0.1:8420'],
                "{\"look\":{\"a\":\"\xFF\"}}",
            ),
            '',
            status: 422,
        );
        self::says(
            $this->call(
                'PATCH',
                "/api/studies/$study->id",
                [],
                [],
                [],
                ['CONTENT_TYPE' => 'application/json', 'HTTP_ACCEPT' => 'application/json', 'HTTP_ORIGIN' => 'http://127.0.0.1:8420'],
                '{"name":',
            ),
            'not JSON',
        );
        self::says($this->patchJson("/api/studies/$study->id", ['name' => 'x'], ['Content-Length' => (string) (17 << 20)]), 'more than 16 MB');
        self::assertSame('Trial ground', $study->refresh()->name);
        self::assertNull($study->look);
    }

    public function test_a_signature_library_that_is_spoilt_does_not_spoil_the_list(): void
    {
        $send = fn (string $name, string $text) => $this->post(
            '/api/signatures',
            ['file' => UploadedFile::fake()->createWithContent($name, $text)],
            ['Accept' => 'application/json'],
        );
        $send('latin.csv', "wavelength,Salzwiese gr\xFCn\n0.45,0.1\n0.86,0.3\n")->assertStatus(201)->assertJsonPath('1.covers.0.name', 'Salzwiese grün');
        self::says($send('inf.csv', "wavelength,a\n0.45,1e999\n0.86,0.3\n"), 'holds “1e999”', 'signatures');
        file_put_contents(config()->string('chorometra.files').'/signatures/added/spoilt.csv', "\xFF\xFE");
        $this->getJson('/api/signatures')->assertOk()->assertJsonCount(2);
    }

    public function test_what_the_dead_have_left_goes_and_what_the_living_write_stays(): void
    {
        $dead = proc_open(['true'], [], $pipes);
        self::assertIsResource($dead);
        $pid = proc_get_status($dead)['pid'];
        $zombie = pcntl_fork();
        if ($zombie === 0) {
            posix_kill(posix_getpid(), SIGKILL);
        }
        // ended and not waited for
        for ($i = 0; $i < 1000 && ! str_contains((string) @file_get_contents("/proc/$zombie/stat"), ') Z'); $i++) {
            usleep(1000);
        }
        proc_close($dead);
        $own = (int) getmypid();
        self::assertSame([false, false, true], [Process::lives($pid), Process::lives($zombie), Process::lives($own)]);
        // one that began long after a file was written has only its number
        self::assertFalse(Process::lives($own, time() - 86400));
        $study = $this->study();
        $folder = $study->folder();
        mkdir($folder, recursive: true);
        foreach ([$pid, $zombie, $own] as $one) {
            touch("$folder/a.tif.$one.part");
            mkdir(Interrupted::temporary()."/chorometra-$one-0123abcd");
        }
        Interrupted::sweep();
        self::assertSame(["$folder/a.tif.$own.part"], glob("$folder/*.part"));
        self::assertSame([Interrupted::temporary()."/chorometra-$own-0123abcd"], glob(Interrupted::temporary().'/chorometra-*'));
        pcntl_waitpid($zombie, $status);
    }

    public function test_services_that_are_slow_do_not_hold_all_of_the_server(): void
    {
        self::assertSame('asked', Outgoing::ask(fn (): string => 'asked'));
        $held = [];
        foreach (glob(config()->string('chorometra.files').'/outgoing') ?: [] as $folder) {
            foreach (range(0, 2) as $place) {
                $handle = fopen("$folder/$place", 'c');
                self::assertIsResource($handle);
                self::assertTrue(flock($handle, LOCK_EX | LOCK_NB));
                $held[] = $handle;
            }
        }
        self::says(
            $this->getJson('/api/archives/thumbnail?'.http_build_query(['archive' => 'stand-in', 'address' => 'http://127.0.0.1:1/a.png'])),
            'Several service requests are under way',
            status: 503,
        );
        fclose($held[1]);
        self::assertSame('asked', Outgoing::ask(fn (): string => 'asked', 0.0));
    }

    public function test_a_cell_that_would_be_a_formula(): void
    {
        self::assertSame("'=cmd|x,'+1-1,-5,1.5,\"a,\"\"b\"\"\",'@x,\n", Csv::of([['=cmd|x', '+1-1', '-5', 1.5, 'a,"b"', '@x', null]]));
        self::assertSame("-0.25,2\n", Csv::of([[-0.25, 2]]));
    }
}
