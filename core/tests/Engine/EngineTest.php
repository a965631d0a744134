<?php

namespace Chorometra\Core\Tests\Engine;

use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Stopped;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Workers;

final class EngineTest extends TestCase
{
    private function scene(): string
    {
        $planes = [];
        foreach (['green', 'nir'] as $k => $role) {
            $planes[$role] = array_map(fn (int $i): float => $i % 1009 === 0 ? NAN : (($i * 7919 + 13 * $k) % 10007) / 10007, range(0, 300 * 700 - 1));
        }

        return $this->image('scene.tif', 300, 700, $planes, ['datetime' => '2031-05-12T10:41:22Z']);
    }

    public function test_results_are_the_same_to_the_byte_however_many_work(): void
    {
        $scene = $this->scene();
        $hashes = [];
        foreach ([1, 2, 3, 7] as $workers) {
            $context = new Context($workers, $this->folder);
            $this->compute('derive.index', ['image' => $scene], ['index' => 'ndwi'], ['result' => "$this->folder/n.tif"], $context);
            $this->compute(
                'segment.slice',
                ['image' => "$this->folder/n.tif"],
                ['limits' => '0.1', 'minimum' => 4],
                ['segments' => "$this->folder/s.tif", 'classes' => "$this->folder/c.tif"],
                $context,
            );
            $this->compute('deliver.image', ['image' => $scene], ['bands' => 'nir'], ['result' => "$this->folder/p.png"], $context);
            $hashes[] = array_map(fn (string $file): string => md5_file("$this->folder/$file") ?: '', [
                'n.tif',
                'n.stac.json',
                's.tif',
                'c.tif',
                'c.stac.json',
                'p.png',
            ]);
        }
        self::assertCount(1, array_unique($hashes, SORT_REGULAR));
        // two bands in one file
        $one = md5_file($this->raster('m.tif', (new GeoTiffImage($scene))->spec(), [self::pixels($scene, 0), self::pixels($scene, 1)], 1));
        self::assertSame($one, md5_file($this->raster('m.tif', (new GeoTiffImage($scene))->spec(), [self::pixels($scene, 0), self::pixels($scene, 1)], 3)));
    }

    public function test_points_of_a_growing_curve_come_from_a_process_of_its_own_and_none_is_lost(): void
    {
        $points = [];
        $context = new Context(2, $this->folder, grown: function (string $figure, array $point) use (&$points): void {
            $points[$figure][] = $point;
        });
        Workers::aside($context->part(0.2, 0.8), function (Context $own): void {
            for ($round = 1; $round <= 300; $round++) {
                $own->report($round / 300, "round $round");
                $own->part(0.5, 1.0)->grow('loss', [$round, 1 / $round]);
            }
        }, fn (int $pid) => null);
        self::assertSame(['loss'], array_keys($points));
        self::assertSame(array_map(fn (int $round): array => [$round, 1 / $round], range(1, 300)), $points['loss']);
    }

    public function test_progress_rises_and_nothing_is_left_over(): void
    {
        $told = [];
        $context = new Context(2, $this->folder, function (float $share, string $doing) use (&$told): void {
            $told[] = $share;
            self::assertNotSame('', $doing);
        });
        $figures = $this->compute('derive.index', ['image' => $this->scene()], ['index' => 'ndwi'], ['result' => "$this->folder/n.tif"], $context);
        $sorted = $told;
        sort($sorted);
        self::assertSame($sorted, $told);
        self::assertGreaterThan(2, count($told));
        self::assertLessThanOrEqual(1.0, max($told));
        self::assertGreaterThan(0, $figures['seconds']);
        self::assertEqualsCanonicalizing(['n.stac.json', 'n.tif', 'scene.stac.json', 'scene.tif'], array_diff(scandir($this->folder) ?: [], ['.', '..']));
    }

    public function test_stopping_leaves_everything_as_it_was(): void
    {
        $scene = $this->scene();
        file_put_contents("$this->folder/n.tif", 'what was there before');
        $looks = 0;
        $context = new Context(2, $this->folder, null, function () use (&$looks): bool {
            return ++$looks > 1;
        });
        try {
            $this->compute('derive.index', ['image' => $scene], ['index' => 'ndwi'], ['result' => "$this->folder/n.tif"], $context);
            self::fail('It was not stopped.');
        } catch (Stopped $stopped) {
            self::assertSame('Stopped; nothing was changed.', $stopped->getMessage());
        }
        self::assertSame('what was there before', file_get_contents("$this->folder/n.tif"));
        self::assertEqualsCanonicalizing(['n.tif', 'scene.stac.json', 'scene.tif'], array_diff(scandir($this->folder) ?: [], ['.', '..']));
    }

    /** @param  \Closure(Call, Work): array<string, mixed>  $compute */
    private function kind(\Closure $compute): Kind
    {
        return new class($compute) implements Kind {
            /** @param  \Closure(Call, Work): array<string, mixed>  $compute */
            public function __construct(private \Closure $compute) {}

            public function declaration(): Declaration
            {
                return new Declaration(
                    'derive.all',
                    'All at once',
                    'Takes all.',
                    [],
                    [],
                    [new Port('result', PortType::Table, 'anything', endings: ['.csv'])],
                    'none',
                );
            }

            public function run(Call $call, Work $work): array
            {
                return ($this->compute)($call, $work);
            }
        };
    }

    public function test_work_is_stopped_even_when_it_never_looks_up(): void
    {
        $file = "$this->folder/result.csv";
        $told = [];
        $context = new Context(2, $this->folder, function (float $share, string $doing) use (&$told): void {
            $told[] = [$share, $doing];
        }, function () use (&$told, $file): bool {
            // once it is in the middle of its writing
            return $told !== [] && glob("$file.*.part") !== [];
        });
        $kind = $this->kind(function (Call $call): array {
            $call->context->report(0.25, 'looking at nothing');
            file_put_contents($call->context->folder().'/large', 'x');
            Workers::run(2, $call->context, 'helping', fn (): int => 1, fn () => null);
            Files::replace($call->outputs['result'], function (): void {
                while (true) {
                }
            });

            return [];
        });
        try {
            Runner::run($kind, CallOpener::call($kind, [], [], ['result' => $file], $context));
            self::fail('It was not stopped.');
        } catch (Stopped) {
            self::assertSame([0.25, 'looking at nothing'], $told[0]);
            self::assertSame(['.', '..'], scandir($this->folder));
            self::assertSame(-1, pcntl_waitpid(-1, $status, WNOHANG), 'no process is left');
        }
    }

    public function test_work_in_a_process_of_its_own_gives_its_figures_and_problems_as_they_are(): void
    {
        $run = fn (\Closure $compute) => Runner::run(
            $kind = $this->kind($compute),
            CallOpener::call($kind, [], [], ['result' => "$this->folder/r.csv"], new Context(1, $this->folder)),
        );
        $figures = $run(fn (): array => ['nothing' => NAN, 'third' => 1 / 3, 'list' => [1.0, 2]]);
        self::assertNan($figures['nothing']);
        self::assertSame([1 / 3, [1.0, 2]], [$figures['third'], $figures['list']]);
        $took = $run(fn (): array => ['sum' => array_sum(range(1, 16_000_000))]);
        self::assertGreaterThan(200, $took['memory'], 'the memory of its process counts');
        try {
            $run(fn () => throw Problem::call('That is too much.', 'limit'));
            self::fail('It had no problem.');
        } catch (Problem $problem) {
            self::assertSame(['That is too much.', 2, 'limit'], [$problem->getMessage(), $problem->status, $problem->about]);
        }
    }

    public function test_a_worker_that_is_killed_fails_the_whole_and_leaves_no_process(): void
    {
        $this->problem(1, 'A worker process ended unexpectedly', fn () => Workers::run(4, new Context(2), 'working', function (int $task): int {
            if ($task === 2) {
                posix_kill(posix_getpid(), SIGKILL);
            }

            return $task;
        }, fn () => null));
        self::assertSame(-1, pcntl_waitpid(-1, $status, WNOHANG), 'no child is left');
    }

    public function test_a_problem_in_a_worker_is_told_as_it_is(): void
    {
        $this->problem(
            3,
            'row 256',
            fn () => Workers::run(3, new Context(2), 'working', fn (int $task) => $task === 1 ? throw Problem::input('Broken at row 256.') : 1, fn () => null),
        );
        $this->problem(
            1,
            'failed: Division by zero',
            fn () => Workers::run(3, new Context(2), 'working', fn (int $task): int => intdiv(1, $task), fn () => null),
        );
        self::assertSame(-1, pcntl_waitpid(-1, $status, WNOHANG));
    }

    public function test_workers_end_with_the_process_that_started_them(): void
    {
        $pipe = stream_socket_pair(STREAM_PF_UNIX, STREAM_SOCK_STREAM, 0);
        self::assertNotFalse($pipe);
        $pid = pcntl_fork();
        if ($pid === 0) {
            Workers::run(2, new Context(2), 'working', function () use ($pipe): int {
                fwrite($pipe[1], posix_getpid()."\n");
                // busy without saying anything
                while (true) {
                }
            }, fn () => null);
        }
        $workers = [(int) fgets($pipe[0]), (int) fgets($pipe[0])];
        posix_kill($pid, SIGKILL);
        pcntl_waitpid($pid, $status);
        foreach ($workers as $worker) {
            for ($i = 0; $i < 1000 && is_dir("/proc/$worker") && ! str_contains((string) @file_get_contents("/proc/$worker/stat"), ') Z'); $i++) {
                usleep(10_000);
            }
            self::assertTrue(! is_dir("/proc/$worker") || str_contains((string) @file_get_contents("/proc/$worker/stat"), ') Z'));
        }
    }

    public function test_a_broken_tile_in_the_middle_is_told_with_its_place(): void
    {
        $scene = $this->scene();
        $image = new GeoTiffImage($scene);
        // the third row of tiles of the second band
        $layouts = new \ReflectionProperty($image, 'layouts');
        $layout = $layouts->getValue($image)[0];
        $index = $layout->blockIndex(1, 0, 2);
        $handle = fopen($scene, 'r+b');
        self::assertIsResource($handle);
        fseek($handle, $layout->offsets[$index] + 40);
        fwrite($handle, str_repeat("\xff", 60));
        fclose($handle);
        $this->problem(
            3,
            "scene.tif is broken: tile $index (pixels from row 512, column 0; on the map from 431000, 6061760) can't be unpacked.",
            fn () => $this->compute('derive.index', ['image' => $scene], ['index' => 'ndwi'], ['result' => "$this->folder/n.tif"]),
        );
        self::assertFileDoesNotExist("$this->folder/n.tif");
    }

    public function test_what_is_larger_than_memory_is_refused_before_it_starts(): void
    {
        $kind = $this->kind(function (Call $call, Work $work): array {
            $work->reserve(1 << 50);
            throw new \LogicException('It must not begin.');
        });
        $this->problem(
            1,
            'All at once would take up to 1073741824 MB of memory',
            fn () => Runner::run($kind, CallOpener::call($kind, [], [], ['result' => "$this->folder/r.csv"], new Context(1))),
        );
    }

    public function test_inputs_on_different_grids_are_told_apart(): void
    {
        $check = fn () => OneGrid::check([
            new GeoTiffImage($this->image('a.tif', 2, 1, ['red' => [1, 2]])),
            new GeoTiffImage($this->image('b.tif', 3, 1, ['red' => [1, 2, 3]])),
        ]);
        $this->problem(
            3,
            'a.tif and b.tif are not on one grid: the first is 2 x 1 pixels of 20 m at 431000, 6072000 in EPSG:32632, the second 3 x 1 pixels',
            $check,
        );
    }

    public function test_a_full_disk_ends_with_a_sentence_and_nothing_half_written(): void
    {
        mkdir("$this->folder/small");
        exec('mount -t tmpfs -o size=300k tmpfs '.escapeshellarg("$this->folder/small").' 2>/dev/null', $lines, $status);
        if ($status !== 0) {
            self::markTestSkipped('Only root can make a small disk.');
        }
        try {
            $scene = $this->scene();
            file_put_contents("$this->folder/small/n.tif", 'what was there before');
            $this->problem(
                1,
                'free some space, then run the step again',
                fn () => $this->compute('derive.index', ['image' => $scene], ['index' => 'ndwi'], ['result' => "$this->folder/small/n.tif"]),
            );
            $this->problem(1, 'is full: free some space', fn () => Files::write("$this->folder/small/x.txt", random_bytes(400_000)));
            // and in the middle of the work, when it is the disk for temporary files that fills up
            $this->problem(
                1,
                'is full: free some space',
                fn () => $this->compute(
                    'derive.index',
                    ['image' => $scene],
                    ['index' => 'ndwi'],
                    ['result' => "$this->folder/v.tif"],
                    new Context(2, "$this->folder/small"),
                ),
            );
            self::assertFileDoesNotExist("$this->folder/v.tif");
            self::assertSame('what was there before', file_get_contents("$this->folder/small/n.tif"));
            self::assertSame(['n.tif'], array_values(array_diff(scandir("$this->folder/small") ?: [], ['.', '..'])));
        } finally {
            exec('umount '.escapeshellarg("$this->folder/small"));
        }
    }

    public function test_memory_stays_bounded_by_blocks(): void
    {
        // each block is worked on by a child; the parent never holds the image
        $scene = $this->image('long.tif', 256, 6000, ['green' => array_fill(0, 256 * 6000, 0.25), 'nir' => array_fill(0, 256 * 6000, 0.5)]);
        gc_collect_cycles();
        memory_reset_peak_usage();
        $before = memory_get_usage();
        $this->compute('derive.index', ['image' => $scene], ['index' => 'ndwi'], ['result' => "$this->folder/n.tif"]);
        self::assertLessThan(16 << 20, memory_get_peak_usage() - $before, '1.5 million pixels as an array would take 24 MB');
        self::assertEqualsWithDelta(-1 / 3, self::pixels("$this->folder/n.tif")[1_000_000], 1e-6);
    }
}
