<?php

namespace Chorometra\Core\Tests\Fuzz;

use Chorometra\Core\Engine\Context;
use Chorometra\Core\Format\Files;
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
        $trouble = $this->trouble($family, $samples[0], false);
        if ($trouble !== null) {
            throw new \RuntimeException("A sound sample of $family: $trouble");
        }
        $failures = [];
        for ($case = 0; $more($case); $case++) {
            $random = new Randomizer(new Mt19937($seed * 1_000_003 + $case));
            $sample = $samples[$random->getInt(0, count($samples) - 1)];
            $changes = (new Mutator($random))->changes($sample);
            $trouble = $this->trouble($family, Mutator::apply($sample, $changes));
            if ($trouble !== null) {
                $failures[] = $this->keep($family, $seed, $case, $sample, $changes, $trouble);
            }
        }

        return ['cases' => $case, 'failures' => $failures];
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

    /** @param  array<string, string>  $files */
    private function trouble(string $family, array $files, bool $aside = true): ?string
    {
        $folder = "$this->folder/case";
        Files::remove($folder);
        foreach ($files as $name => $bytes) {
            Files::folder(dirname("$folder/$name"));
            file_put_contents("$folder/$name", $bytes);
        }
        if (! $aside) {
            $this->families->use($family, $folder);

            return null;
        }
        $pid = pcntl_fork();
        if ($pid === 0) {
            $this->child($family, $folder);
        }
        $until = microtime(true) + self::SECONDS;
        while (($ended = pcntl_waitpid($pid, $status, WNOHANG)) === 0) {
            if (microtime(true) > $until) {
                posix_kill($pid, SIGKILL);
                pcntl_waitpid($pid, $status);

                return 'It took more than '.self::SECONDS.' seconds.';
            }
            usleep(1000);
        }
        $said = (string) @file_get_contents("$this->folder/said");
        if ($ended !== $pid || ! pcntl_wifexited($status) || pcntl_wexitstatus($status) !== 0) {
            return $said !== '' ? $said : 'The process ended by force: memory ran out, or it crashed.';
        }
        foreach ([...(glob("$folder/*.part") ?: []), ...(glob("$folder/scratch/chorometra-[0-9]*") ?: [])] as $left) {
            return 'It left '.basename($left).' behind.';
        }

        return null;
    }

    private function child(string $family, string $folder): never
    {
        @unlink("$this->folder/said");
        ini_set('memory_limit', (string) self::MEMORY);
        ini_set('display_errors', 'stderr');
        fclose(STDERR);
        memory_reset_peak_usage();
        set_error_handler(function (int $level, string $message, string $file, int $line): bool {
            if ((error_reporting() & $level) === 0) {
                return false;
            }
            throw new \ErrorException($message, 0, $level, $file, $line);
        });
        try {
            $this->families->use($family, $folder);
        } catch (\Chorometra\Core\Problem) {
            // one sentence is what is wanted
        } catch (\Throwable $error) {
            file_put_contents("$this->folder/said", $error::class.': '.$error->getMessage().' at '.$error->getFile().':'.$error->getLine()."\n".$error->getTraceAsString());
            exit(1);
        }
        if (Context::peak() > self::MEMORY + (96 << 20)) {
            file_put_contents("$this->folder/said", sprintf('It took %d MB.', Context::peak() >> 20));
            exit(1);
        }
        exit(0);
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
