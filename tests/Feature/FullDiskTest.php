<?php

namespace Tests\Feature;

use PHPUnit\Framework\TestCase;
use Symfony\Component\Process\Process;
use Tests\StartsApplication;

/** The whole application on a small disk that runs full, and has room again. */
class FullDiskTest extends TestCase
{
    use StartsApplication;

    private ?Process $application = null;

    protected function setUp(): void
    {
        $this->prepare();
        exec('mount -t tmpfs -o size=64m tmpfs '.escapeshellarg($this->folder).' 2>/dev/null', $said, $status);
        if ($status !== 0) {
            rmdir($this->folder);
            self::markTestSkipped('A small disk can be made by root only.');
        }
    }

    protected function tearDown(): void
    {
        $this->application?->signal(SIGTERM);
        $this->application?->wait();
        exec('umount '.escapeshellarg($this->folder).' 2>/dev/null');
        $this->clear();
    }

    /** @return array<string, mixed> */
    private function study(): array
    {
        return $this->get('studies/1') ?? ['steps' => []];
    }

    private function state(int $number): string
    {
        return array_column($this->study()['steps'], 'state', 'number')[$number] ?? '';
    }

    public function test_a_disk_that_runs_full(): void
    {
        $this->application = $this->start();
        $this->until(fn (): bool => $this->state(1) === 'done');
        $scene = $this->study()['steps'][0];
        $before = md5((string) file_get_contents("http://127.0.0.1:$this->port/api/items/{$scene['items'][0]['id']}/file"));
        $image = ['step' => $scene['id'], 'output' => 'multispectral'];
        $index = $this->send('POST', 'api/studies/1/steps', ['kind' => 'derive.index', 'inputs' => ['image' => $image], 'settings' => ['index' => 'ndvi']]);

        // all but a few pages are taken
        $fill = fopen("$this->folder/fill", 'wb');
        self::assertIsResource($fill);
        while (disk_free_space($this->folder) > 300_000 && @fwrite($fill, str_repeat("\1", 100_000)) === 100_000) {
            fflush($fill);
        }
        $this->send('POST', "api/steps/{$index['id']}/run");
        $this->until(fn (): bool => $this->state(2) === 'failed');
        self::assertMatchesRegularExpression('/disk .*(is full|free some space)/', (string) $this->study()['steps'][1]['problem']);
        // and to the last byte: what is asked for ends in a sentence, and what is there is still shown
        while (@fwrite($fill, str_repeat("\1", 4096)) === 4096) {
            fflush($fill);
        }
        for ($i = 0, $answer = null; $i < 200 && ($answer['status'] ?? 0) !== 507; $i++) {
            $answer = $this->refused(['name' => str_repeat("Long name $i ", 9)]);
        }
        self::assertStringContainsString('The disk is full', (string) ($answer['title'] ?? ''));
        self::assertSame($before, md5((string) file_get_contents("http://127.0.0.1:$this->port/api/items/{$scene['items'][0]['id']}/file")));

        fclose($fill);
        unlink("$this->folder/fill");
        $this->send('POST', "api/steps/{$index['id']}/run");
        $this->until(fn (): bool => $this->state(2) === 'done');
        self::assertSame('ok', (new \PDO("sqlite:$this->folder/db.sqlite"))->query('PRAGMA integrity_check')?->fetchColumn());
        self::assertSame([], [...(glob("$this->folder/files/studies/1/*.part") ?: []), ...(glob("$this->folder/files/temporary/chorometra-[0-9]*") ?: [])]);
    }

    public function test_a_folder_that_takes_nothing_can_be_looked_at(): void
    {
        $this->application = $this->start();
        $this->until(fn (): bool => $this->state(1) === 'done');
        $this->application->signal(SIGTERM);
        $this->application->wait();
        exec('mount -o remount,ro '.escapeshellarg($this->folder), $said, $status);
        self::assertSame(0, $status);

        $this->application = $this->start();
        self::assertStringContainsString("can't be written to: it is read-only, or its disk is full", $this->application->getErrorOutput());
        self::assertSame('done', $this->state(1));
        $item = $this->study()['steps'][0]['items'][0];
        self::assertNotEmpty($this->get("items/{$item['id']}/histogram?band=1&bins=16")['counts']);
        self::assertStringContainsString('can be viewed, not changed', $this->get('health')['server']['problem']);
        $answer = $this->refused(['name' => 'More']);
        self::assertSame(507, $answer['status'] ?? 0);
        self::assertStringContainsString('The data folder is read-only', $answer['title'] ?? '');
        $this->application->signal(SIGTERM);
        $this->application->wait();

        // and without anything there it says so and ends
        exec('mount -o remount,rw '.escapeshellarg($this->folder));
        unlink("$this->folder/db.sqlite");
        exec('mount -o remount,ro '.escapeshellarg($this->folder));
        $process = new Process([dirname(__DIR__, 2).'/bin/start', '--port', (string) $this->port], null, [
            'DB_DATABASE' => "$this->folder/db.sqlite", 'CHOROMETRA_FILES' => "$this->folder/files", 'PHP_INI_SCAN_DIR' => false, 'APP_ENV' => false,
        ], null, 60);
        self::assertSame(1, $process->run());
        self::assertStringContainsString('Make room, or give leave to write there', $process->getErrorOutput());
        $this->application = null;
    }

    /**
     * @param  array<string, mixed>  $body
     * @return array<string, mixed>|null
     */
    private function refused(array $body): ?array
    {
        $own = "http://127.0.0.1:$this->port";

        return json_decode(
            (string) file_get_contents(
                "$own/api/studies",
                false,
                stream_context_create([
                    'http' => [
                        'method' => 'POST',
                        'ignore_errors' => true,
                        'header' => "Content-Type: application/json\r\nAccept: application/json\r\nOrigin: $own",
                        'content' => (string) json_encode($body),
                    ],
                ]),
            ),
            true,
        );
    }
}
