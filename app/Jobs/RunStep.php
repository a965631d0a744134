<?php

namespace App\Jobs;

use App\Models\Step;
use App\Support\FullDisk;
use App\Support\Interrupted;
use App\Support\Results;
use App\Support\StepRun;
use Chorometra\Core\Engine\Context;
use Chorometra\Core\Format\Files;
use Chorometra\Core\Problem;
use Chorometra\Core\Stopped;
use Illuminate\Contracts\Queue\ShouldQueue;
use Illuminate\Database\QueryException;
use Illuminate\Foundation\Queue\Queueable;

/** Runs one step to its end, its stop or its failure; in each case the study is whole. */
class RunStep implements ShouldQueue
{
    use Queueable;

    /** How often the state is told and the wish to stop looked up, in nanoseconds. */
    private const EVERY = 250_000_000;

    public int $tries = 1;

    public int $timeout = 0;

    public function __construct(public readonly int $step) {}

    public function handle(): void
    {
        $step = Step::query()->find($this->step);
        $study = $step?->study;
        // a step that is queued twice is done once
        if ($step === null || $study === null || Step::query()->whereKey($step->id)->where('state', Step::WAITING)->update(['state' => Step::RUNNING, 'pid' => getmypid(), 'started_at' => now()]) !== 1) {
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
        $context = new Context(config()->integer('chorometra.workers'), $temporary, function (float $share, string $doing) use ($step, $look): void {
            if ($look()) {
                $step->update(['progress' => $share, 'doing' => $doing]);
            }
        }, function () use ($look, &$stop): bool {
            $look();

            return $stop;
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

    private function end(Step $step, \Throwable $error): void
    {
        try {
            match (true) {
                $error instanceof Stopped => $step->update(['state' => Step::STOPPED, 'problem' => $error->getMessage(), 'doing' => null, 'pid' => null, 'finished_at' => now()]),
                $error instanceof Problem => $step->fail($error->getMessage(), $error->about),
                FullDisk::caused($error) => $step->fail(FullDisk::SENTENCE),
                default => $step->fail('The computation broke off: '.mb_scrub($error->getMessage())),
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
