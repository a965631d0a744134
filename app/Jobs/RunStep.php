<?php

namespace App\Jobs;

use App\Models\Step;
use App\Steps\Interrupted;
use App\Steps\Results;
use App\Steps\StepQueue;
use App\Steps\StepRun;
use App\System\FullDisk;
use Chorometra\Core\Problem;
use Chorometra\Core\Stopped;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Process;
use Illuminate\Contracts\Queue\ShouldQueue;
use Illuminate\Database\QueryException;
use Illuminate\Foundation\Queue\Queueable;
use Illuminate\Support\Facades\DB;

/** Runs one step to its end, its stop or its failure; in each case the study is whole. */
class RunStep implements ShouldQueue
{
    use Queueable;

    /** How often the state is told and the wish to stop looked up, in nanoseconds. */
    private const EVERY = 250_000_000;

    /** Points of a curve that are shown while it grows; of more every other one is left out. */
    private const MOST_POINTS = 400;

    /** Seconds until a step that waits for another looks again. */
    private const AGAIN = 1;

    public int $tries = 1;

    public int $timeout = 0;

    public function __construct(public readonly int $step) {}

    public function handle(): void
    {
        $step = Step::query()->find($this->step);
        $study = $step?->study;
        if ($step === null || $study === null || ! $this->begins($step)) {
            return;
        }
        $step->refresh()->update(['progress' => 0, 'doing' => 'starting', 'problem' => null, 'about' => null, 'finished_at' => null]);
        Interrupted::sweep();
        $told = hrtime(true);
        $stop = false;
        $look = function () use ($step, &$told, &$stop): bool {
            if (hrtime(true) - $told < self::EVERY) {
                return false;
            }
            $told = hrtime(true);
            $stop = $stop || (bool) Step::query()->whereKey($step->id)->value('stop');

            return true;
        };
        $temporary = Interrupted::temporary();
        /** @var array<string, list<list<float|int>>> $growing */
        $growing = [];
        $context = new Context(config()->integer('chorometra.workers'), $temporary, function (float $share, string $doing) use ($step, $look, &$growing): void {
            if ($look()) {
                $step->update(['progress' => $share, 'doing' => $doing, 'growing' => $growing === [] ? null : $growing]);
            }
        }, function () use ($look, &$stop): bool {
            $look();

            return $stop;
        }, grown: function (string $figure, array $point) use (&$growing): void {
            $growing[$figure][] = $point;
            if (count($growing[$figure]) > self::MOST_POINTS) {
                $growing[$figure] = array_values(array_filter($growing[$figure], fn (int $i): bool => $i % 2 === 0, ARRAY_FILTER_USE_KEY));
            }
        });
        $paths = [];
        try {
            Files::folder($study->folder());
            $paths = Results::paths($step, $study->folder());
            ['figures' => $figures, 'used' => $used] = StepRun::of($step, $study, $paths, $context);
            Results::take($step, $paths, $figures, $used);
        } catch (\Throwable $error) {
            Results::discard($paths);
            $context->clean();
            $this->end($step, $error);
        } finally {
            $context->clean();
        }
    }

    /** Whether it is this job that does the step, now: one that is queued twice is done once, and what it needs or reads comes first. */
    private function begins(Step $step): bool
    {
        // looked up and taken in one, so that of two that need each other's place one sees the other
        return DB::transaction(function () use ($step): bool {
            if (Step::query()->whereKey($step->id)->where('state', Step::WAITING)->doesntExist()) {
                return false;
            }
            $awaited = StepQueue::awaited($step);
            if ($awaited !== null) {
                $step->update(['doing' => "waiting for step $awaited"]);
                StepQueue::queue($step, self::AGAIN)->beforeCommit();

                return false;
            }

            return Step::query()->whereKey($step->id)->update(['state' => Step::RUNNING, 'pid' => getmypid(), 'process' => Process::mark((int) getmypid()),
                'started_at' => now()]) === 1;
        });
    }

    private function end(Step $step, \Throwable $error): void
    {
        try {
            match (true) {
                $error instanceof Stopped => $step->update([
                    'state' => Step::STOPPED,
                    'problem' => $error->getMessage(),
                    'doing' => null,
                    'growing' => null,
                    'pid' => null,
                    'finished_at' => now(),
                ]),
                $error instanceof Problem => $step->fail($error->getMessage(), $error->about),
                FullDisk::caused($error) => $step->fail(FullDisk::SENTENCE),
                default => $step->fail('The computation failed: '.mb_scrub($error->getMessage())),
            };
            if (! $error instanceof Problem && ! FullDisk::caused($error)) {
                report($error);
            }
        } catch (QueryException $full) {
            if (config('queue.default') === 'sync') {
                throw $full;
            }
            // nothing can be written: this worker ends, and the next one says so once there is room
            posix_kill((int) getmypid(), SIGKILL);
        }
    }
}
