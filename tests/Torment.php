<?php

namespace Tests;

use Chorometra\Benchmarks\Scene;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Random\Engine\Mt19937;
use Random\Randomizer;
use Symfony\Component\Process\Exception\ProcessSignaledException;
use Symfony\Component\Process\Process;

/**
 * Kills workers, their children, servers and command lines at random while steps run, then runs again what was interrupted and compares
 * bytes with those of a run that was left in peace. Called by bin/torment.
 */
final class Torment
{
    use StartsApplication;

    private const WHO = ['worker', 'child', 'server', 'reader', 'everything of the worker'];

    private Randomizer $random;

    private int $study = 0;

    /** @var array<int, string> hash of each step's result by step */
    private array $hashes = [];

    /** @var array<int, array<string, int>> by step, the items seen last and found right */
    private array $seen = [];

    public function __construct(int $seed, private readonly int $size)
    {
        $this->random = new Randomizer(new Mt19937($seed));
    }

    /**
     * @param  \Closure(string): void  $say
     * @return list<string> what was wrong
     */
    public function run(int $kills, \Closure $say): array
    {
        $this->prepare();
        $wrong = [];
        try {
            $scene = "$this->folder/scene.tif";
            Scene::make($scene, $this->size, new Context(2, $this->folder));
            $wrong = [...$this->commandLines(intdiv($kills, 2), $scene, $say), ...$this->application($kills - intdiv($kills, 2), $scene, $say)];
        } finally {
            $this->clear();
        }

        return $wrong;
    }

    /**
     * @param  \Closure(string): void  $say
     * @return list<string>
     */
    private function commandLines(int $kills, string $scene, \Closure $say): array
    {
        $folder = "$this->folder/lines";
        mkdir($folder);
        $calls = [
            ['derive.index', ['--set', 'index=ndvi'], ['result' => 'index.tif']],
            ['correct.dark-object', [], ['result' => 'dark.tif']],
            ['segment.slice', ['--set', 'band=nir', '--set', 'limits=10000'], ['segments' => 'segments.tif', 'classes' => 'classes.tif']],
            ['gather.reproject', ['--set', 'crs=32633'], ['result' => 'moved.tif']],
        ];
        $start = function (array $call) use ($folder, $scene): Process {
            [$kind, $settings, $outputs] = $call;
            $words = [dirname(__DIR__).'/bin/chorometra', 'run', $kind, '--in', "image=$scene", ...$settings, '--quiet'];
            foreach ($outputs as $name => $file) {
                array_push($words, '--out', "$name=$folder/$file");
            }
            $process = new Process($words, null, ['TMPDIR' => $folder, 'CHOROMETRA_TORMENT' => $folder], null, 120);
            $process->start();

            return $process;
        };
        $right = [];
        $took = [];
        foreach ($calls as $k => $call) {
            $at = microtime(true);
            $process = $start($call);
            $process->wait();
            $took[$k] = microtime(true) - $at;
            foreach ($call[2] as $file) {
                $right[$file] = (string) md5_file("$folder/$file");
            }
        }
        $wrong = [];
        for ($done = 0; $done < $kills;) {
            $before = count($wrong);
            $k = $this->random->getInt(0, count($calls) - 1);
            $call = $calls[$k];
            // every third time there is a result already, which must not be lost
            $isThere = $this->random->getInt(0, 2) === 0;
            array_map(Files::remove(...), $isThere ? [] : array_map(fn (string $file): string => "$folder/$file", $call[2]));
            $process = $start($call);
            usleep($this->random->getInt(10_000, (int) (1.1e6 * $took[$k])));
            $all = self::of('CHOROMETRA_TORMENT='.$folder);
            if ($all === []) {
                self::ended($process);

                continue;
            }
            $victims = $this->random->getInt(0, 1) === 0 ? $all : [$all[$this->random->getInt(0, count($all) - 1)]];
            array_map(fn (int $pid): bool => posix_kill($pid, SIGKILL), $victims);
            $done++;
            self::ended($process);
            // children end with their parent
            for ($i = 0; $i < 200 && self::of('CHOROMETRA_TORMENT='.$folder) !== []; $i++) {
                usleep(10_000);
            }
            $there = array_filter($call[2], fn (string $file): bool => is_file("$folder/$file"));
            foreach ($there as $file) {
                if (md5_file("$folder/$file") !== $right[$file]) {
                    $wrong[] = "$call[0] was killed and left another $file";
                }
            }
            if ($isThere && count($there) < count($call[2])) {
                $wrong[] = "$call[0] was killed and its earlier result is gone";
            }
            $again = $start($call);
            self::ended($again);
            foreach ($call[2] as $file) {
                if (@md5_file("$folder/$file") !== $right[$file]) {
                    $wrong[] = "$call[0] run again gave another $file: ".trim($again->getErrorOutput());
                }
            }
            foreach ([...(glob("$folder/*.part") ?: []), ...$this->scratch($folder)] as $left) {
                $wrong[] = "$call[0] run again left ".basename($left);
            }
            array_map($say, array_slice($wrong, $before));
            if ($done % 25 === 0) {
                $say("command lines: $done kills, ".count($wrong).' wrong');
            }
        }

        return $wrong;
    }

    /**
     * @param  \Closure(string): void  $say
     * @return list<string>
     */
    private function application(int $kills, string $scene, \Closure $say): array
    {
        $application = $this->start();
        $application->setTimeout(null);
        $wrong = [];
        try {
            $this->study = (int) $this->insist('POST', 'api/studies', ['name' => 'Torment'])['id'];
            $steps = $this->chain($scene);
            $this->settle($steps, $wrong);
            if ($wrong !== []) {
                return $wrong;
            }
            for ($done = 0, $told = 0; $done < $kills;) {
                foreach ($steps as $step) {
                    if ($this->random->getInt(0, 1) === 0) {
                        $this->send('POST', "api/steps/$step/run");
                    }
                }
                for ($i = $this->random->getInt(1, 3); $i > 0 && $done < $kills; $i--) {
                    usleep($this->random->getInt(20_000, 900_000));
                    $done += $this->kill(self::WHO[$this->random->getInt(0, count(self::WHO) - 1)]);
                }
                $this->settle($steps, $wrong);
                array_map($say, array_slice($wrong, $told));
                $told = count($wrong);
                if ($done % 25 < 3) {
                    $say("application: $done kills, ".count($wrong).' wrong');
                }
            }
            $wrong = [...$wrong, ...$this->left()];
        } finally {
            $application->signal(SIGTERM);
            $application->wait();
        }

        return $wrong;
    }

    /** @return list<int> steps that hang on one another */
    private function chain(string $scene): array
    {
        $handle = curl_init("http://127.0.0.1:$this->port/api/studies/$this->study/uploads");
        assert($handle !== false);
        curl_setopt_array($handle, [
            CURLOPT_RETURNTRANSFER => true,
            CURLOPT_POSTFIELDS => ['files[]' => new \CURLFile($scene)],
            CURLOPT_HTTPHEADER => ["Origin: http://127.0.0.1:$this->port"],
        ]);
        $upload = json_decode((string) curl_exec($handle), true);
        $make = fn (string $kind, array $inputs, array $settings): int => (int) $this->insist('POST', "api/studies/$this->study/steps", [
            'kind' => $kind,
            'inputs' => $inputs,
            'settings' => (object) $settings,
            'run' => true,
        ])['id'];
        $image = $make(
            'gather.image',
            ['image' => ['upload' => $upload['upload']]],
            ['roles' => ['blue', 'green', 'red', 'nir', 'swir1', 'swir2', 'thermal1']],
        );
        $index = $make('derive.index', ['image' => ['step' => $image, 'output' => 'result']], ['index' => 'ndvi']);

        return [
            $image,
            $index,
            $make('correct.dark-object', ['image' => ['step' => $image, 'output' => 'result']], []),
            $make('segment.slice', ['image' => ['step' => $index, 'output' => 'result']], ['band' => '1', 'limits' => [0.07]]),
        ];
    }

    /** Kills one, or all, of a sort; the number of those that were there. */
    private function kill(string $who): int
    {
        $all = self::of("DB_DATABASE=$this->folder/db.sqlite");
        $command = fn (int $pid): string => str_replace("\0", ' ', (string) @file_get_contents("/proc/$pid/cmdline"));
        $parent = fn (int $pid): int => preg_match('/^\d+ \(.*\) \w (\d+)/s', (string) @file_get_contents("/proc/$pid/stat"), $match) ? (int) $match[1] : 0;
        $workers = array_values(array_filter($all, fn (int $pid): bool => str_contains($command($pid), 'artisan queue:work')));
        $servers = array_values(array_filter($all, fn (int $pid): bool => str_contains($command($pid), 'ops/server.php')));
        $masters = array_values(array_filter($servers, fn (int $pid): bool => ! in_array($parent($pid), $servers, true)));
        $victims = match ($who) {
            'worker' => array_values(array_filter($workers, fn (int $pid): bool => ! in_array($parent($pid), $workers, true))),
            'child' => array_values(array_filter($workers, fn (int $pid): bool => in_array($parent($pid), $workers, true))),
            'server' => $masters,
            'reader' => array_values(array_diff($servers, $masters)),
            default => $workers,
        };
        if ($victims === []) {
            return 0;
        }
        $victims = $who === 'everything of the worker' ? $victims : [$victims[$this->random->getInt(0, count($victims) - 1)]];
        array_map(fn (int $pid): bool => posix_kill($pid, SIGKILL), $victims);

        return 1;
    }

    /**
     * Waits until nothing runs, runs again what was interrupted, and compares.
     *
     * @param  list<int>  $steps
     * @param  list<string>  $wrong
     */
    private function settle(array $steps, array &$wrong): void
    {
        $until = microtime(true) + 120;
        while (true) {
            $study = $this->get("studies/$this->study");
            $all = is_array($study) ? array_column($study['steps'], null, 'id') : [];
            $states = array_map(fn (int $step): string => $all[$step]['state'] ?? 'unknown', $steps);
            if (
                array_intersect($states, ['running', 'waiting', 'unknown']) === [] &&
                array_intersect($states, ['failed', 'stopped', 'stale', 'draft']) === []
            ) {
                break;
            }
            if (microtime(true) > $until) {
                $wrong[] = 'After two minutes the steps are '.implode(', ', $states);
                break;
            }
            if (array_intersect($states, ['running', 'waiting', 'unknown']) === []) {
                foreach ($steps as $k => $step) {
                    if (in_array($states[$k], ['failed', 'stale'], true)) {
                        if (! preg_match('/ended in the middle|worker process died|made its result|gone/', (string) ($all[$step]['problem'] ?? 'gone'))) {
                            $wrong[] = "Step $step failed otherwise: {$all[$step]['problem']}";

                            return;
                        }
                        $this->send('POST', "api/steps/$step/run");
                        break;
                    }
                }
            }
            usleep(100_000);
        }
        foreach ($steps as $step) {
            foreach ($this->get("studies/$this->study")['steps'] ?? [] as $one) {
                foreach ($one['id'] === $step ? $one['items'] : [] as $item) {
                    $key = "$step/{$item['output']}";
                    if (($this->seen[$step][$item['output']] ?? 0) === $item['id']) {
                        continue;
                    }
                    $hash = md5((string) @file_get_contents("http://127.0.0.1:$this->port/api/items/{$item['id']}/file"));
                    $this->hashes[crc32($key)] ??= $hash;
                    if ($this->hashes[crc32($key)] !== $hash) {
                        $wrong[] = "Step $step made another {$item['output']} than at first";
                    }
                    $this->seen[$step][$item['output']] = $item['id'];
                }
            }
        }
    }

    private static function ended(Process $process): void
    {
        try {
            $process->wait();
        } catch (ProcessSignaledException) {
            // that is what was meant
        }
    }

    /** @return list<string> what should not be there when all is done */
    private function left(): array
    {
        $wrong = [];
        $database = new \PDO("sqlite:$this->folder/db.sqlite");
        if ($database->query('PRAGMA integrity_check')?->fetchColumn() !== 'ok') {
            $wrong[] = 'The database is broken.';
        }
        $known = array_map(basename(...), $database->query('SELECT path FROM items')?->fetchAll(\PDO::FETCH_COLUMN) ?: []);
        foreach (glob("$this->folder/files/studies/$this->study/*.tif") ?: [] as $file) {
            if (! in_array(basename($file), $known, true)) {
                $wrong[] = basename($file).' belongs to no step';
            }
        }
        foreach ([...(glob("$this->folder/files/studies/*/*.part") ?: []), ...$this->scratch("$this->folder/files/temporary")] as $left) {
            $wrong[] = basename($left).' was left';
        }

        return $wrong;
    }

    /** @return list<string> */
    private function scratch(string $folder): array
    {
        return glob("$folder/chorometra-[0-9]*") ?: [];
    }

    /**
     * Sends until there is an answer.
     *
     * @param  array<string, mixed>  $body
     * @return array<string, mixed>
     */
    private function insist(string $method, string $path, array $body): array
    {
        for ($i = 0; $i < 100; $i++) {
            $answer = $this->send($method, $path, $body);
            if (is_array($answer)) {
                return $answer;
            }
            usleep(100_000);
        }
        throw new \RuntimeException("$path gives no answer.");
    }

    public static function assertTrue(bool $is): void
    {
        if (! $is) {
            throw new \RuntimeException('The application does not come up.');
        }
    }
}
