<?php

namespace Tests\Feature;

use PHPUnit\Framework\TestCase;
use Symfony\Component\Process\Exception\ProcessSignaledException;
use Symfony\Component\Process\Process;
use Tests\StartsApplication;

/** bin/start as a person runs it: server and worker in the right mode, up again with the data kept, nothing left when it ends. */
class StartTest extends TestCase
{
    use StartsApplication;

    protected function setUp(): void
    {
        $this->prepare();
    }

    protected function tearDown(): void
    {
        $this->clear();
    }

    private function listens(): bool
    {
        $socket = @fsockopen('127.0.0.1', $this->port);

        return is_resource($socket) && fclose($socket);
    }

    /** @return list<int> processes that work on this test's data */
    private function processes(): array
    {
        return array_values(
            array_map(
                intval(...),
                array_filter(
                    array_map(basename(...), glob('/proc/[0-9]*') ?: []),
                    fn (string $pid): bool => str_contains((string) @file_get_contents("/proc/$pid/environ"), "$this->folder/db.sqlite") &&
                        ! str_contains((string) @file_get_contents("/proc/$pid/stat"), ') Z'),
                ),
            ),
        );
    }

    /** The process that listens; its children answer. */
    private function server(): int
    {
        $all = array_filter(
            $this->processes(),
            fn (int $pid): bool => posix_getsid($pid) === $pid &&
                str_contains((string) @file_get_contents("/proc/$pid/cmdline"), "-S\000127.0.0.1:$this->port"),
        );

        return array_values($all)[0] ?? 0;
    }

    public function test_start_stop_and_start_again(): void
    {
        $process = $this->start(['CHOROMETRA_DEMO' => "$this->folder/demo"]);
        // the workers come up one by one
        foreach (['long', 'short'] as $queue) {
            $this->until(fn (): bool => ($this->get('health')['workers'][$queue]['alive'] ?? false) === true);
        }
        self::assertSame(['mode' => '1052', 'server' => ['problem' => null]], array_intersect_key($this->get('health'), ['mode' => 1, 'server' => 1]));
        self::assertNull($this->get('health')['workers']['short']['problem']);
        self::assertSame('Orvane Sound', $this->get('studies')[0]['name']);
        // its first scene comes from the archive
        $this->until(fn (): bool => $this->get('studies/1')['steps'][0]['state'] === 'done');

        // a second one on the same port says so
        $second = new Process([dirname(__DIR__, 2).'/bin/start', '--port', (string) $this->port]);
        self::assertSame(1, $second->run());
        self::assertStringContainsString("Port $this->port is in use", $second->getErrorOutput());

        // a worker that is killed in the middle of a step: the step says so, another worker takes over, the step can be run again
        $step = $this->get('studies/1')['steps'][0];
        $worker = $this->get('health')['workers']['long']['pid'];
        $this->send('POST', "api/steps/{$step['id']}/run");
        $this->until(fn (): bool => $this->get('studies/1')['steps'][0]['state'] === 'running');
        posix_kill($worker, SIGKILL);
        $this->until(fn (): bool => $this->get('studies/1')['steps'][0]['state'] === 'failed');
        self::assertStringContainsString('The worker was terminated during this step', $this->get('studies/1')['steps'][0]['problem']);
        self::assertCount(3, $this->get('studies/1')['steps'][0]['items'], 'what the last run made is still there');
        $this->until(fn (): bool => ($this->get('health')['workers']['long']['pid'] ?? $worker) !== $worker);
        self::assertSame([], glob("$this->folder/files/temporary/chorometra-[0-9]*"));
        $this->send('POST', "api/steps/{$step['id']}/run");
        $this->until(fn (): bool => $this->get('studies/1')['steps'][0]['state'] === 'done');

        // a server that is killed is followed by another while the worker works on
        $this->send('POST', "api/steps/{$step['id']}/run");
        $this->until(fn (): bool => $this->get('studies/1')['steps'][0]['state'] === 'running');
        $server = $this->server();
        posix_kill($server, SIGKILL);
        $this->until(fn (): bool => ! in_array($this->server(), [0, $server], true) && ($this->get('studies/1')['steps'][0]['state'] ?? '') === 'done');

        // Ctrl+C
        $process->signal(SIGINT);
        $process->wait();
        self::assertFalse($this->listens());
        self::assertSame([], $this->processes());

        // work that was waiting when everything ended goes on, even where a worker had taken its job already
        $pdo = new \PDO("sqlite:$this->folder/db.sqlite");
        $pdo->exec("UPDATE steps SET state = 'waiting', runs = runs + 1");
        $again = $this->start(['CHOROMETRA_DEMO' => "$this->folder/demo"]);
        self::assertCount(1, $this->get('studies'));
        $this->until(fn (): bool => $this->get('studies/1')['steps'][0]['state'] === 'done');
        $again->signal(SIGTERM);
        $again->wait();
        self::assertFalse($this->listens());
        self::assertSame([], $this->processes());
    }

    public function test_everything_killed_at_once_is_up_again_with_what_was_waiting(): void
    {
        $this->start(['CHOROMETRA_DEMO' => "$this->folder/demo"]);
        $this->until(fn (): bool => ($this->get('health')['workers']['long']['alive'] ?? false) === true);
        $this->until(fn (): bool => $this->get('studies/1')['steps'][0]['state'] === 'done');
        ['id' => $first, 'settings' => $settings] = $this->get('studies/1')['steps'][0];
        $this->send('POST', "api/steps/$first/run");
        // in the same queue behind it
        $this->send('POST', 'api/studies/1/steps', ['kind' => 'gather.order', 'settings' => $settings, 'run' => true]);
        $this->until(fn (): bool => array_column($this->get('studies/1')['steps'], 'state') === ['running', 'waiting']);
        foreach ($this->processes() as $pid) {
            posix_kill($pid, SIGKILL);
        }
        $this->until(fn (): bool => $this->processes() === []);
        self::assertFalse($this->listens());

        $again = $this->start(['CHOROMETRA_DEMO' => "$this->folder/demo"]);
        $this->until(fn (): bool => array_column($this->get('studies/1')['steps'], 'state') === ['failed', 'done']);
        self::assertStringContainsString('terminated during this step; nothing was changed', $this->get('studies/1')['steps'][0]['problem']);
        self::assertCount(3, $this->get('studies/1')['steps'][0]['items']);
        self::assertSame(
            [],
            [
                ...array_filter(glob("$this->folder/files/temporary/*") ?: [], fn (string $path): bool => basename($path) !== 'chorometra-kept'),
                ...glob("$this->folder/files/studies/1/*.part") ?: [],
            ],
        );
        self::assertSame(['1-gather-order-1-1', '2-gather-order-2-1'], array_map(basename(...), glob("$this->folder/files/studies/1/*-*") ?: []));
        $again->signal(SIGTERM);
        $again->wait();
        self::assertSame([], $this->processes());
    }

    /**
     * Asks as another program does.
     *
     * @param  list<string>  $headers
     * @return array{status: int, headers: string, body: string}
     */
    private function ask(string $url, array $headers = [], ?string $form = null): array
    {
        $handle = curl_init($url);
        assert($handle !== false);
        curl_setopt_array(
            $handle,
            [CURLOPT_RETURNTRANSFER => true, CURLOPT_HEADER => true, CURLOPT_HTTPHEADER => $headers] + ($form === null ? [] : [CURLOPT_POSTFIELDS => $form]),
        );
        $answer = (string) curl_exec($handle);
        $length = curl_getinfo($handle, CURLINFO_HEADER_SIZE);

        return ['status' => curl_getinfo($handle, CURLINFO_RESPONSE_CODE), 'headers' => substr($answer, 0, $length), 'body' => substr($answer, $length)];
    }

    public function test_served_to_others_behind_a_password(): void
    {
        foreach ([['--host', '0.0.0.0'], ['--host', '0.0.0.0', '--password', 'short'], ['--host', 'no name']] as $words) {
            $refused = new Process([dirname(__DIR__, 2).'/bin/start', '--port', (string) $this->port, ...$words]);
            self::assertSame(2, $refused->run());
            self::assertMatchesRegularExpression('/password|address or a name/', $refused->getErrorOutput());
        }
        $process = $this->start(['CHOROMETRA_PASSWORD' => 'sound of Orvane'], ['--host', '0.0.0.0', '--host', 'gauge.example']);
        try {
            $own = "http://127.0.0.1:$this->port";
            self::assertSame(
                [401, 302, 404, 421],
                [
                    $this->ask("$own/api/studies")['status'],
                    $this->ask("$own/")['status'],
                    $this->ask("$own/standin/archive", ['X-Forwarded-For: 192.0.2.1'])['status'],
                    $this->ask("$own/api/studies", ['Host: elsewhere.example'])['status'],
                ],
            );
            self::assertSame(401, $this->ask("$own/api/studies", ["Host: gauge.example:$this->port"])['status']);
            $in = $this->ask("$own/login", ["Origin: $own"], 'password=sound of Orvane');
            self::assertSame(302, $in['status']);
            self::assertStringNotContainsString('X-Powered-By', $in['headers']);
            self::assertSame(1, preg_match('/^Set-Cookie: (chorometra=\w{40});.*httponly; samesite=strict/im', $in['headers'], $match));
            $cookie = "Cookie: $match[1]";
            self::assertSame(200, $this->ask("$own/api/studies", [$cookie])['status']);
            // tiles are answered before the framework is there: they ask for the session too
            $this->until(fn (): bool => (json_decode($this->ask("$own/api/studies/1", [$cookie])['body'], true)['steps'][0]['state'] ?? '') === 'done');
            $tile = "$own/api/items/1/tiles/0/0/0?bands=1&packed=yes";
            self::assertSame(
                [401, 200, 421, 403],
                [
                    $this->ask($tile)['status'],
                    $this->ask($tile, [$cookie])['status'],
                    $this->ask($tile, [$cookie, 'Host: elsewhere.example'])['status'],
                    $this->ask($tile, [$cookie, 'Sec-Fetch-Site: cross-site'])['status'],
                ],
            );
            self::assertStringContainsString('X-Content-Type-Options: nosniff', $this->ask($tile, [$cookie])['headers']);
            // the long way tells no length
            self::assertStringContainsString('Content-Length: ', $this->ask($tile, [$cookie])['headers']);
            self::assertStringNotContainsString('Content-Length: ', $this->ask("$tile&x=1", [$cookie])['headers']);
            self::assertSame($this->ask($tile, [$cookie])['body'], $this->ask("$tile&x=1", [$cookie])['body']);
            self::assertSame(302, $this->ask("$own/logout", ["Origin: $own", $cookie], '')['status']);
            self::assertSame([401, 401], [$this->ask($tile, [$cookie])['status'], $this->ask("$own/api/studies", [$cookie])['status']]);
        } finally {
            $process->signal(SIGTERM);
            $process->wait();
        }
    }

    public function test_a_start_that_was_killed_gives_its_port_back_to_the_next(): void
    {
        $first = $this->start();
        $this->until(fn (): bool => ($this->get('health')['workers']['long']['alive'] ?? false) === true);
        $first->signal(SIGKILL);
        try {
            $first->wait();
        } catch (ProcessSignaledException) {
            self::assertTrue($this->listens(), 'what it started goes on');
        }
        $again = $this->start();
        self::assertSame('Orvane Sound', $this->get('studies')[0]['name']);
        $again->signal(SIGTERM);
        $again->wait();
        self::assertFalse($this->listens());
        self::assertSame([], $this->processes());
    }

    public function test_a_port_that_is_none(): void
    {
        $process = new Process([dirname(__DIR__, 2).'/bin/start', '--port', 'http']);
        self::assertSame(2, $process->run());
        self::assertStringContainsString('a number from 1 to 65535, not http', $process->getErrorOutput());
    }
}
