<?php

namespace App\Support;

use App\Jobs\RunStep;
use App\Models\CheckPoint;
use App\Models\Step;
use App\Models\Study;
use Chorometra\Core\Problem;
use Illuminate\Support\Facades\DB;

/** Steps on their way: checked, put in the queue, looked at for staleness. */
final class StepQueue
{
    public static function run(Step $step): void
    {
        if ($step->isBusy()) {
            if ($step->state === Step::WAITING && self::isLost($step)) {
                RunStep::dispatch($step->id);

                return;
            }
            throw Problem::call("Step {$step->number} is {$step->state} already.");
        }
        self::check($step);
        $waits = fn () => $step->update(['state' => Step::WAITING, 'stop' => false, 'progress' => 0, 'doing' => null, 'problem' => null, 'about' => null]);
        if (config('queue.default') !== 'database') {
            $waits();
            RunStep::dispatch($step->id);

            return;
        }
        // a step that waits has a place in the queue: both or neither
        DB::transaction(function () use ($waits, $step): void {
            $waits();
            RunStep::dispatch($step->id)->beforeCommit();
        });
    }

    /** Waiting steps go on: what a worker had taken when it was ended is queued anew. Only while no worker runs. */
    public static function restore(): void
    {
        if (config('queue.default') !== 'database') {
            return;
        }
        DB::table('jobs')->delete();
        foreach (Step::query()->where('state', Step::WAITING)->orderBy('updated_at')->orderBy('id')->get() as $step) {
            RunStep::dispatch($step->id);
        }
    }

    /**
     * What a worker had taken when it was killed, before it could say so, goes back into the queue. Another that lives may have taken one of
     * these just now: of two that begin the same step only one does it.
     */
    public static function putBack(): void
    {
        if (config('queue.default') !== 'database') {
            return;
        }
        // what was only taken is not tried yet: a job that counts as tried is dropped
        DB::table('jobs')->whereNotNull('reserved_at')->update(['reserved_at' => null, 'attempts' => 0]);
        $queued = array_map(self::stepOf(...), DB::table('jobs')->pluck('payload')->all());
        foreach (Step::query()->where('state', Step::WAITING)->whereNotIn('id', $queued)->orderBy('updated_at')->orderBy('id')->get() as $step) {
            RunStep::dispatch($step->id);
        }
    }

    /** Whether a waiting step has no place in the queue any more, or only one that was taken. */
    private static function isLost(Step $step): bool
    {
        if (config('queue.default') !== 'database') {
            return false;
        }

        return ! in_array($step->id, array_map(self::stepOf(...), DB::table('jobs')->whereNull('reserved_at')->pluck('payload')->all()), true);
    }

    private static function stepOf(mixed $payload): int
    {
        $command = json_decode(is_string($payload) ? $payload : '', true)['data']['command'] ?? '';

        return preg_match('/s:4:"step";i:(\d+);/', is_string($command) ? $command : '', $match) ? (int) $match[1] : 0;
    }

    /** Says what is wrong with a step before anything is queued: what its declaration asks for, and what its inputs point to. */
    public static function check(Step $step): void
    {
        $declaration = $step->declaration();
        $declaration->settings($step->settings);
        $declaration->checkInputs(array_map(strval(...), array_keys($step->inputs)));
        if ($step->within && $step->study?->area === null) {
            throw Problem::call('The study has no area to keep the step to: draw one first.', 'within');
        }
        foreach ($step->inputs as $name => $input) {
            $port = $declaration->input($name);
            if ($port !== null && $step->study !== null) {
                Inputs::check($step->study, $step, $port, $name, $input);
            }
        }
    }

    /**
     * Steps that used something which was made anew since, by id: number of the step that is to blame.
     *
     * @return array<int, int>
     */
    public static function stale(Study $study): array
    {
        $current = [];
        foreach ($study->items()->whereNotNull('step_id')->orderBy('id')->get(['id', 'step_id', 'output']) as $item) {
            $current["$item->step_id/$item->output"] = $item->id;
        }
        $steps = $study->steps()->get(['id', 'number', 'kind', 'inputs', 'used', 'finished_at']);
        $numbers = $steps->pluck('number', 'id');
        $stale = [];
        foreach ($steps as $step) {
            foreach ($step->inputs as $name => $input) {
                $from = $input['step'] ?? null;
                if ($from === null || $step->used === null) {
                    continue;
                }
                $moved = ($current[$from.'/'.($input['output'] ?? 'result')] ?? null) !== ($step->used[$name] ?? null);
                if ($moved || isset($stale[$from])) {
                    $stale[$step->id] = (int) $numbers[$from];
                } elseif ($step->finished_at !== null && $step->declaration()->input($name)?->type->value === 'points'
                    && CheckPoint::query()->where('step_id', $from)->where('updated_at', '>', $step->finished_at)->exists()) {
                    $stale[$step->id] = (int) $numbers[$from];
                }
            }
        }

        return $stale;
    }

    /**
     * Runs everything stale anew, in the order of the trail. The queue works one by one, so each finds what it needs. Check points that
     * a person has labelled are not drawn anew unasked.
     *
     * @return array{runs: int, kept: list<int>} how many run, and the numbers of the steps that were left because of their labels
     */
    public static function refresh(Study $study): array
    {
        $count = 0;
        $kept = [];
        foreach ($study->steps()->whereKey(array_keys(self::stale($study)))->get() as $step) {
            if ($step->labelled() > 0) {
                $kept[] = $step->number;
            } elseif (! $step->isBusy()) {
                self::run($step);
                $count++;
            }
        }

        return ['runs' => $count, 'kept' => $kept];
    }
}
