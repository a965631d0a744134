<?php

namespace Tests;

use Chorometra\Core\Work\Files;
use Symfony\Component\Process\Process;

/** Runs the application as bin/start does, on a free port, with data of its own. */
trait StartsApplication
{
    protected string $folder;

    protected int $port;

    /**
     * @param  array<string, string>  $more environment
     * @param  list<string>  $words
     */
    protected function start(array $more = [], array $words = []): Process
    {
        $process = new Process([dirname(__DIR__).'/bin/start', '--port', (string) $this->port, ...$words], null, $more + [
            'DB_DATABASE' => "$this->folder/db.sqlite",
            'CHOROMETRA_FILES' => "$this->folder/files",
            'QUEUE_CONNECTION' => 'database',
            'CACHE_STORE' => 'file',
            'PHP_INI_SCAN_DIR' => false,
            'APP_ENV' => false,
        ], null, 600);
        $process->start();
        $process->waitUntil(fn (string $type, string $text): bool => str_contains($text, "Chorometra is at http://127.0.0.1:$this->port"));

        return $process;
    }

    protected function prepare(): void
    {
        $this->folder = sys_get_temp_dir().'/chorometra-test-'.bin2hex(random_bytes(6));
        mkdir($this->folder);
        $this->port = self::freePort();
    }

    protected function clear(): void
    {
        Files::remove($this->folder);
    }

    protected static function freePort(): int
    {
        $socket = stream_socket_server('tcp://127.0.0.1:0') ?: throw new \RuntimeException('There is no free port.');
        $port = (int) substr((string) strrchr((string) stream_socket_get_name($socket, false), ':'), 1);
        fclose($socket);

        return $port;
    }

    protected function get(string $path): mixed
    {
        return json_decode((string) @file_get_contents("http://127.0.0.1:$this->port/api/$path"), true);
    }

    /**
     * Sends as one of the application's own pages does.
     *
     * @param  array<string, mixed>  $body
     */
    protected function send(string $method, string $path, array $body = []): mixed
    {
        $own = "http://127.0.0.1:$this->port";
        $answer = @file_get_contents(
            "$own/$path",
            false,
            stream_context_create([
                'http' => [
                    'method' => $method,
                    'header' => "Content-Type: application/json\r\nAccept: application/json\r\nOrigin: $own",
                    'content' => (string) json_encode($body === [] ? (object) [] : $body),
                ],
            ]),
        );

        return json_decode((string) $answer, true);
    }

    /** @return list<int> processes with a line in their environment, that are no zombies */
    protected static function of(string $line): array
    {
        $found = [];
        foreach (glob('/proc/[0-9]*') ?: [] as $process) {
            if (str_contains("\0".@file_get_contents("$process/environ"), "\0$line\0") && ! str_contains((string) @file_get_contents("$process/stat"), ') Z')) {
                $found[] = (int) basename($process);
            }
        }

        return $found;
    }

    /** Asks again until the answer is as wanted: how long a busy machine takes is no fault, so one limit, far off, holds for everything. */
    protected function until(\Closure $isSo, string $otherwise = ''): void
    {
        $end = microtime(true) + 180;
        while (! ($is = $isSo()) && microtime(true) < $end) {
            usleep(50_000);
        }
        self::assertTrue($is, $otherwise);
    }
}
