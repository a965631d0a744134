<?php

namespace Chorometra\Benchmarks;

use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Symfony\Component\Process\Process;

/**
 * Many readers of tiles at once, as browsers ask for them: an application of its own is started with a scene of seven bands, first
 * idle, then beside people who drag a limit of a key along, then with steps running on all workers. What the readers themselves take
 * of the processors is told apart.
 */
final class Readers
{
    private const ASK = '?bands=4,3,2&packed=yes';

    /** Tiles a second that views want while people look around, not as many as can be had. */
    private const PACE = 200;

    private string $folder;

    private string $address;

    public function __construct(
        private readonly int $readers,
        private readonly float $seconds,
        private readonly int $size,
        private readonly int $draggers,
    ) {
        $this->folder = sys_get_temp_dir().'/chorometra-readers-'.getmypid();
        Files::folder($this->folder);
    }

    /** @return list<array<string, mixed>> */
    public function run(): array
    {
        $socket = stream_socket_server('tcp://127.0.0.1:0') ?: throw new \RuntimeException('There is no free port.');
        $port = (int) substr((string) strrchr((string) stream_socket_get_name($socket, false), ':'), 1);
        fclose($socket);
        $this->address = "http://127.0.0.1:$port";
        $application = new Process(
            [dirname(__DIR__).'/bin/start', '--port', (string) $port],
            null,
            ['DB_DATABASE' => "$this->folder/db.sqlite", 'CHOROMETRA_FILES' => "$this->folder/files", 'PHP_INI_SCAN_DIR' => false],
            null,
            null,
        );
        $application->start();
        try {
            $application->waitUntil(fn (string $type, string $text): bool => str_contains($text, $this->address));
            $step = $this->scene();
            $tiles = $this->tiles($step);
            $this->load($tiles, 1.0);
            $rows = [['case' => 'idle'] + $this->load($tiles, $this->seconds)];
            $look = $this->look($step);
            $rows[] = ['case' => "beside $this->draggers who drag a limit"] + $this->load($tiles, $this->seconds, $look);
            $rows[] = ['case' => 'the same, '.self::PACE.' tiles a second wanted'] + $this->load($tiles, $this->seconds, $look, self::PACE);
            // enough to be busy all the while
            for ($i = 0; $i < 12; $i++) {
                $this->ask("studies/{$step['study']}/steps", [
                    'kind' => 'correct.dark-object',
                    'inputs' => ['image' => ['step' => $step['id'], 'output' => 'result']],
                    'run' => true,
                ]);
            }
            $this->until(fn (): bool => array_filter($this->ask('work'), fn (array $work): bool => $work['state'] === 'running') !== []);
            $rows[] = ['case' => 'a step running'] + $this->load($tiles, $this->seconds);
            if (array_filter($this->ask('work'), fn (array $work): bool => $work['state'] === 'running') === []) {
                throw new \RuntimeException('The steps ended before the readers did: take a larger --size.');
            }

            return $rows;
        } finally {
            $application->signal(SIGTERM);
            $application->wait();
            Files::remove($this->folder);
        }
    }

    /**
     * @param  array<string, mixed>  $step
     * @return \Closure(int): \CurlHandle where everything goes under a limit that was drawn a little further
     */
    private function look(array $step): \Closure
    {
        $image = ['step' => $step['id'], 'output' => 'result'];
        $made = $this->ask("studies/{$step['study']}/steps", [
            'kind' => 'segment.slice', 'inputs' => ['image' => $image], 'run' => true,
            'settings' => ['band' => 'nir', 'limits' => [9000, 12000], 'minimum' => 200],
        ]);
        $this->until(fn (): bool => self::isDone($this->ask("steps/{$made['id']}")));
        $steps = 0;
        $ask = function (int $who) use ($step, $made, $image, &$steps): \CurlHandle {
            $couplet = ['id' => 'q', 'measure' => 'mean(nir)', 'least' => 9000 + $steps++ % 3000, 'yes' => ['class' => 'a'], 'no' => ['class' => 'b']];
            $handle = curl_init("$this->address/api/studies/{$step['study']}/keys/look");
            curl_setopt_array($handle, [
                CURLOPT_RETURNTRANSFER => true,
                CURLOPT_HTTPHEADER => ['Content-Type: application/json', 'Accept: application/json', "Origin: $this->address", "X-Page: dragger-$who"],
                CURLOPT_POSTFIELDS => (string) json_encode([
                    'kind' => 'classify.key', 'settings' => [],
                    'inputs' => ['segments' => ['step' => $made['id'], 'output' => 'segments'], 'images:1' => $image],
                    'document' => ['classes' => [['value' => 1, 'name' => 'a', 'colour' => '#112233'], ['value' => 2, 'name' => 'b', 'colour' => '#445566']],
                        'couplets' => [$couplet]],
                ]),
            ]);

            return $handle;
        };
        // measured once, and on the shelf then
        curl_exec($first = $ask(0));
        if (curl_getinfo($first, CURLINFO_RESPONSE_CODE) !== 200) {
            throw new \RuntimeException('The key can not be looked at: '.curl_multi_getcontent($first));
        }

        return $ask;
    }

    /** @return array<string, mixed> the step that took the scene in */
    private function scene(): array
    {
        $file = "$this->folder/scene.tif";
        Scene::make($file, $this->size, new Context(2, $this->folder));
        $study = $this->ask('studies', ['name' => 'Readers']);
        $handle = curl_init("$this->address/api/studies/{$study['id']}/uploads");
        curl_setopt_array($handle, [
            CURLOPT_RETURNTRANSFER => true,
            CURLOPT_POSTFIELDS => ['files[]' => new \CURLFile($file)],
            CURLOPT_HTTPHEADER => ["Origin: $this->address"],
        ]);
        $upload = json_decode((string) curl_exec($handle), true);
        $step = $this->ask("studies/{$study['id']}/steps", [
            'kind' => 'gather.image', 'inputs' => ['image' => ['upload' => $upload['upload']]], 'run' => true,
            'settings' => ['roles' => ['coastal', 'blue', 'green', 'red', 'nir', 'swir1', 'swir2']],
        ]);
        $this->until(function () use ($study, &$step): bool {
            $step = $this->ask("studies/{$study['id']}")['steps'][0];

            return self::isDone($step);
        });

        return $step;
    }

    /**
     * @param  array<string, mixed>  $step
     * @return list<string> addresses of all tiles, in an order that is always the same
     */
    private function tiles(array $step): array
    {
        $tiles = [];
        foreach ($step['items'] as $item) {
            foreach ($item['raster']['levels'] as $z => [$width, $height]) {
                for ($y = 0; $y * 256 < $height; $y++) {
                    for ($x = 0; $x * 256 < $width; $x++) {
                        $tiles[] = "$this->address/api/items/{$item['id']}/tiles/$z/$x/$y".self::ASK;
                    }
                }
            }
        }
        mt_srand(1);
        shuffle($tiles);

        return $tiles;
    }

    /**
     * @param  list<string>  $tiles
     * @param  (\Closure(int): \CurlHandle)|null  $look  what one of those who drag asks for next
     * @param  float|null  $pace  tiles that all readers ask for in a second at most
     * @return array<string, mixed>
     */
    private function load(array $tiles, float $seconds, ?\Closure $look = null, ?float $pace = null): array
    {
        $multi = curl_multi_init();
        $times = [];
        $bytes = 0;
        $asked = 0;
        $failed = 0;
        $used = self::processor();
        $start = microtime(true);
        $next = function () use ($multi, $tiles, &$asked): void {
            $handle = curl_init($tiles[$asked++ % count($tiles)]);
            assert($handle !== false);
            curl_setopt_array($handle, [CURLOPT_RETURNTRANSFER => true, CURLOPT_HTTPHEADER => ['Accept-Encoding: gzip, deflate']]);
            curl_multi_add_handle($multi, $handle);
        };
        $waiting = $this->readers;
        // when each of those who drag asks (again)
        $due = $look === null ? [] : array_fill(0, $this->draggers, $start);
        $looking = [];
        $looks = 0;
        while (($now = microtime(true)) - $start < $seconds) {
            foreach (array_filter($due, fn (float $at): bool => $at <= $now) as $who => $at) {
                unset($due[$who]);
                $handle = $look === null ? throw new \LogicException : $look($who);
                $looking[(int) $handle] = $who;
                curl_multi_add_handle($multi, $handle);
            }
            for (; $waiting > 0 && ($pace === null || $asked < $pace * ($now - $start)); $waiting--) {
                $next();
            }
            curl_multi_exec($multi, $running);
            curl_multi_select($multi, 0.01);
            while ($done = curl_multi_info_read($multi)) {
                $handle = $done['handle'];
                if (isset($looking[(int) $handle])) {
                    $status = curl_getinfo($handle, CURLINFO_RESPONSE_CODE);
                    $looks += $status === 200 ? 1 : 0;
                    // as the page does where there was no place
                    $due[$looking[(int) $handle]] = $now + ($status === 503 ? mt_rand(80, 200) / 1e3 : 0.0);
                    unset($looking[(int) $handle]);
                    curl_multi_remove_handle($multi, $handle);

                    continue;
                }
                curl_getinfo($handle, CURLINFO_RESPONSE_CODE) === 200 ? $times[] = curl_getinfo($handle, CURLINFO_TOTAL_TIME) : $failed++;
                $bytes += (int) curl_getinfo($handle, CURLINFO_SIZE_DOWNLOAD_T);
                curl_multi_remove_handle($multi, $handle);
                $waiting++;
            }
        }
        curl_multi_close($multi);
        sort($times);
        $took = microtime(true) - $start;

        return [
            'readers' => $this->readers,
            'tiles a second' => round(count($times) / $took, 1),
            'median, s' => round($times[intdiv(count($times), 2)] ?? NAN, 3),
            '95 %, s' => round($times[(int) (0.95 * (count($times) - 1))] ?? NAN, 3),
            'kB a tile' => round($bytes / max(1, count($times) + $failed) / 1e3),
            'failed' => $failed,
            'looks a second' => $look === null ? null : round($looks / $took, 1),
            'readers\' own processor' => round((self::processor() - $used) / $took, 2),
        ];
    }

    /** Seconds of processor that this process has taken. */
    private static function processor(): float
    {
        $usage = getrusage() ?: [];

        return $usage['ru_utime.tv_sec'] + $usage['ru_stime.tv_sec'] + ($usage['ru_utime.tv_usec'] + $usage['ru_stime.tv_usec']) / 1e6;
    }

    /**
     * @param  array<string, mixed>|null  $body
     * @return array<mixed>
     */
    private function ask(string $path, ?array $body = null): array
    {
        $options =
            ['header' => "Content-Type: application/json\r\nAccept: application/json\r\nOrigin: $this->address"] +
            ($body === null ? [] : ['method' => 'POST', 'content' => (string) json_encode($body)]);

        return (array) json_decode((string) file_get_contents("$this->address/api/$path", false, stream_context_create(['http' => $options])), true);
    }

    /** @param  array<string, mixed>  $step */
    private static function isDone(array $step): bool
    {
        return $step['state'] === 'failed' ? throw new \RuntimeException($step['problem']) : $step['state'] === 'done';
    }

    private function until(\Closure $isSo): void
    {
        for ($i = 0; $i < 3000 && ! $isSo(); $i++) {
            usleep(100_000);
        }
    }
}
