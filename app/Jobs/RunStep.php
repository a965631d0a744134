<?php

namespace App\Jobs;

use App\Models\Step;
use App\Support\Area;
use App\Support\Inputs;
use App\Support\Interrupted;
use App\Support\Results;
use App\Support\Services;
use Chorometra\Core\Engine\Context;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\Files;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Opening;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Stopped;
use Illuminate\Contracts\Queue\ShouldQueue;
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
        if ($step === null || $step->study === null || $step->state !== Step::WAITING) {
            return;
        }
        $step->update(['state' => Step::RUNNING, 'pid' => getmypid(), 'progress' => 0, 'doing' => 'starting', 'problem' => null, 'about' => null, 'started_at' => now(), 'finished_at' => null]);
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
            Files::folder($step->study->folder());
            $scratch = $context->folder();
            ['paths' => $inputs, 'used' => $used] = Inputs::resolve($step->study, $step->inputs, $scratch);
            $paths = Results::paths($step, $step->study->folder());
            $kind = Registry::get($step->kind);
            $figures = Runner::run($kind, Opening::call($kind, $inputs, Services::settled($step->kind, $step->settings), $paths, $context, $step->within ? Area::write($step->study, "$scratch/within.geojson") : null));
            Results::take($step, $paths, $figures, $used);
        } catch (Stopped $stopped) {
            Results::discard($paths);
            $step->update(['state' => Step::STOPPED, 'problem' => $stopped->getMessage(), 'doing' => null, 'pid' => null, 'finished_at' => now()]);
        } catch (Problem $problem) {
            Results::discard($paths);
            $step->fail($problem->getMessage(), $problem->about);
        } catch (\Throwable $error) {
            Results::discard($paths);
            report($error);
            $step->fail('The computation broke off: '.$error->getMessage());
        } finally {
            $context->clean();
        }
    }
}
