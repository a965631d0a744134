<?php

namespace Chorometra\Core\Tests\Fuzz;

use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Random\Engine\Mt19937;
use Random\Randomizer;

/**
 * Cases of changed files, each read in a forked child with limits of time and memory. A case fails when anything but a Problem comes of
 * it: an error, a warning, an end by force, or something left behind. It is kept, with as few changes as still make it fail.
 */
final class Fuzz
{
    private const SECONDS = 10.0;

    private const MEMORY = 400 << 20;

    private const BATCH = 50;

    private const SLOW = 'It took more than';

    private Families $families;

    /** @param  string  $folder  of this run; failing cases are put into $kept */
    public function __construct(private readonly string $folder, private readonly string $kept)
    {
        $this->families = new Families("$folder/samples");
    }

    /**
     * @param  \Closure(int): bool  $more  whether another case is wanted, by the number of those done
     * @return array{cases: int, failures: list<string>}
     */
    public function run(string $family, int $seed, \Closure $more): array
    {
        $samples = $this->families->samples($family);
        // what all cases share is made before they fork
        $this->families->samples('sidecar');
        $this->families->samples('points');
        // read once while sound: children then find all code at hand
        $this->families->use($family, $this->laid($samples[0]));
        $failures = [];
        for ($case = 0; $more($case);) {
            // a child reads several, since a fork costs more than most of them
            [$case, $trouble] = $this->batch($family, $seed, $samples, $case, $more);
            if ($trouble !== null) {
                [$sample, $changes] = self::case($samples, $seed, $case - 1);
                // a machine that is busy elsewhere makes all slow: what is slow alone is slow
                if (str_starts_with($trouble, self::SLOW) && $this->trouble($family, Mutator::apply($sample, $changes)) === null) {
                    continue;
                }
                $failures[] = $this->keep($family, $seed, $case - 1, $sample, $changes, $trouble);
            }
        }

        return ['cases' => $case, 'failures' => $failures];
    }

    /**
     * @param  list<array<string, string>>  $samples
     * @return array{array<string, string>, list<array<string, mixed>>} the sample of a case and what is changed in it
     */
    private static function case(array $samples, int $seed, int $case): array
    {
        $random = new Randomizer(new Mt19937($seed * 1_000_003 + $case));
        $sample = $samples[$random->getInt(0, count($samples) - 1)];

        return [$sample, (new Mutator($random))->changes($sample)];
    }

    /**
     * Cases from one on, in one child.
     *
     * @param  list<array<string, string>>  $samples
     * @param  \Closure(int): bool  $more
     * @return array{int, string|null} the first case that is left, and what was wrong with the one before it
     */
    private function batch(string $family, int $seed, array $samples, int $first, \Closure $more): array
    {
        $pair = stream_socket_pair(STREAM_PF_UNIX, STREAM_SOCK_STREAM, 0) ?: throw new \RuntimeException('There are no sockets.');
        $pid = pcntl_fork();
        if ($pid === 0) {
            fclose($pair[0]);
            self::prepare();
            for ($case = $first; $case < $first + self::BATCH && $more($case); $case++) {
                $files = Mutator::apply(...self::case($samples, $seed, $case));
                fwrite($pair[1], "begin $case\n");
                $trouble = $this->read($family, $this->laid($files));
                if ($trouble !== null) {
                    fwrite($pair[1], 'failed '.base64_encode($trouble)."\n");
                    break;
                }
            }
            fwrite($pair[1], "end\n");
            posix_kill(posix_getpid(), SIGKILL);
        }
        fclose($pair[1]);
        $case = $first - 1;
        $trouble = 'The process ended by force: memory ran out, or it crashed.';
        try {
            while (true) {
                $ready = [$pair[0]];
                $none = null;
                if (stream_select($ready, $none, $none, (int) self::SECONDS) === 0) {
                    return [$case + 1, self::SLOW.' '.self::SECONDS.' seconds.'];
                }
                $line = fgets($pair[0]);
                if ($line === false) {
                    return [$case + 1, $trouble];
                }
                [$word, $rest] = explode(' ', trim($line)) + [1 => ''];
                if ($word === 'begin') {
                    $case = (int) $rest;
                } elseif ($word === 'failed') {
                    $trouble = base64_decode($rest);
                } else {
                    return [$case + 1, $trouble === 'The process ended by force: memory ran out, or it crashed.' ? null : $trouble];
                }
            }
        } finally {
            posix_kill($pid, SIGKILL);
            pcntl_waitpid($pid, $status);
            fclose($pair[0]);
        }
    }

    /** A kept case again. */
    public function again(string $family, string $folder): ?string
    {
        $this->families->samples('sidecar');
        $this->families->samples('points');
        $files = [];
        $walk = new \RecursiveIteratorIterator(new \RecursiveDirectoryIterator($folder, \FilesystemIterator::SKIP_DOTS));
        foreach ($walk as $file) {
            assert($file instanceof \SplFileInfo);
            if ($file->getFilename() !== 'why.txt') {
                $files[substr($file->getPathname(), strlen(rtrim($folder, '/')) + 1)] = (string) file_get_contents($file->getPathname());
            }
        }

        return $this->trouble($family, $files);
    }

    /**
     * What is wrong with one case, read in a child of its own.
     *
     * @param  array<string, string>  $files
     */
    private function trouble(string $family, array $files): ?string
    {
        $folder = $this->laid($files);
        @unlink("$this->folder/said");
        $pid = pcntl_fork();
        if ($pid === 0) {
            self::prepare();
            $trouble = $this->read($family, $folder);
            file_put_contents("$this->folder/said", $trouble ?? 'nothing');
            posix_kill(posix_getpid(), SIGKILL);
        }
        $until = microtime(true) + self::SECONDS;
        while (pcntl_waitpid($pid, $status, WNOHANG) === 0) {
            if (microtime(true) > $until) {
                posix_kill($pid, SIGKILL);
                pcntl_waitpid($pid, $status);

                return self::SLOW.' '.self::SECONDS.' seconds.';
            }
            usleep(1000);
        }
        $said = (string) @file_get_contents("$this->folder/said");

        return match ($said) {
            'nothing' => null,
            '' => 'The process ended by force: memory ran out, or it crashed.',
            default => $said,
        };
    }

    /** @param  array<string, string>  $files */
    private function laid(array $files): string
    {
        $folder = "$this->folder/case";
        Files::remove($folder);
        foreach ($files as $name => $bytes) {
            Files::folder(dirname("$folder/$name"));
            file_put_contents("$folder/$name", $bytes);
        }

        return $folder;
    }

    /** What a child is bound by. */
    private static function prepare(): void
    {
        ini_set('memory_limit', (string) self::MEMORY);
        ini_set('display_errors', '0');
        // libraries speak to the second stream of their own accord: the next file that is opened takes its place
        fclose(STDERR);
        static $nowhere = null;
        $nowhere = fopen('/dev/null', 'wb');
        set_error_handler(function (int $level, string $message, string $file, int $line): bool {
            if ((error_reporting() & $level) === 0) {
                return false;
            }
            throw new \ErrorException($message, 0, $level, $file, $line);
        });
    }

    /** What comes of reading a folder, where it is not as it should be. */
    private function read(string $family, string $folder): ?string
    {
        @file_put_contents('/proc/self/clear_refs', '5');
        try {
            $this->families->use($family, $folder);
        } catch (\Chorometra\Core\Problem) {
            // one sentence is what is wanted
        } catch (\Throwable $error) {
            return $error::class.': '.$error->getMessage().' at '.$error->getFile().':'.$error->getLine()."\n".$error->getTraceAsString();
        }
        if (Context::peak() > self::MEMORY + (96 << 20)) {
            return sprintf('It took %d MB.', Context::peak() >> 20);
        }
        foreach ([...(glob("$folder/*.part") ?: []), ...(glob("$folder/scratch/chorometra-[0-9]*") ?: [])] as $left) {
            return 'It left '.basename($left).' behind.';
        }

        return null;
    }

    /**
     * @param  array<string, string>  $sample
     * @param  list<array<string, mixed>>  $changes
     */
    private function keep(string $family, int $seed, int $case, array $sample, array $changes, string $trouble): string
    {
        for ($i = count($changes) - 1; $i >= 0 && count($changes) > 1; $i--) {
            $fewer = array_values(array_diff_key($changes, [$i => true]));
            $same = $this->trouble($family, Mutator::apply($sample, $fewer));
            if ($same !== null) {
                [$changes, $trouble] = [$fewer, $same];
            }
        }
        $folder = "$this->kept/$family-$seed-$case";
        foreach (Mutator::apply($sample, $changes) as $name => $bytes) {
            Files::write("$folder/$name", $bytes);
        }
        Files::write("$folder/why.txt", "$trouble\n".json_encode($changes)."\n");

        return "$folder: ".strtok($trouble, "\n");
    }
}
