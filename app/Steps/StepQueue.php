<?php

namespace App\Steps;

use App\Jobs\RunStep;
use App\Models\Drawing;
use App\Models\Item;
use App\Models\Step;
use App\Models\Study;
use App\Studies\Area;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Registry;
use Illuminate\Foundation\Bus\PendingDispatch;
use Illuminate\Support\Facades\DB;

/** Steps on their way: checked, put in the queue, looked at for staleness. */
final class StepQueue
{
    /** Work of seconds never waits for work of minutes: each has a worker of its own. */
    public const QUEUES = ['short', 'long'];

    /** Samples of the inputs, and seconds of the last run, from which a step counts as long. */
    private const LONG_SAMPLES = 40_000_000;

    private const LONG_SECONDS = 20;

    /** Bytes of an uploaded file likewise. */
    private const LONG_BYTES = 200_000_000;

    public static function run(Step $step): void
    {
        if ($step->isBusy()) {
            if ($step->state === Step::WAITING && self::isLost($step)) {
                self::queue($step);

                return;
            }
            throw Problem::call("Step {$step->number} is {$step->state} already.");
        }
        self::check($step);
        $waits = fn () => $step->update([
            'state' => Step::WAITING,
            'stop' => false,
            'progress' => 0,
            'doing' => null,
            'growing' => null,
            'problem' => null,
            'about' => null,
        ]);
        if (config('queue.default') !== 'database') {
            $waits();
            self::queue($step);

            return;
        }
        // a step that waits has a place in the queue: both or neither
        DB::transaction(function () use ($waits, $step): void {
            $waits();
            self::queue($step)->beforeCommit();
        });
    }

    /** Into the queue that its work belongs to, after some seconds if so wanted. */
    public static function queue(Step $step, int $delay = 0): PendingDispatch
    {
        return RunStep::dispatch($step->id)->onQueue(self::isLong($step) ? 'long' : 'short')->delay($delay);
    }

    private static function isLong(Step $step): bool
    {
        if ($step->declaration()->isLong || ($step->figures['seconds'] ?? 0) > self::LONG_SECONDS) {
            return true;
        }
        $samples = 0;
        foreach ($step->inputs as $input) {
            if (isset($input['upload'])) {
                $path = ($step->study?->folder() ?? '').'/uploads/'.$input['upload'];
                $samples += is_file($path) && filesize($path) > self::LONG_BYTES ? self::LONG_SAMPLES : 0;
            }
            $meta = isset($input['step'])
                ? Item::query()
                    ->where('step_id', $input['step'])
                    ->where('output', $input['output'] ?? 'result')
                    ->latest('id')
                    ->first()->meta ?? []
                : [];
            $samples += ($meta['width'] ?? 0) * ($meta['height'] ?? 0) * count($meta['bands'] ?? []);
        }

        return $samples >= self::LONG_SAMPLES;
    }

    /**
     * What has to end before a step may begin: a step that makes one of its inputs, or one that reads what it is about to replace. Null
     * where there is none.
     */
    public static function awaited(Step $step): ?int
    {
        $makers = array_filter(array_column($step->inputs, 'step'));
        $maker = Step::query()->whereIn('id', $makers)->whereIn('state', [Step::WAITING, Step::RUNNING])->first();
        if ($maker !== null) {
            return $maker->number;
        }
        foreach (Step::query()->where('study_id', $step->study_id)->where('state', Step::RUNNING)->get(['id', 'number', 'inputs']) as $reader) {
            if (in_array($step->id, array_column($reader->inputs, 'step'), true)) {
                return $reader->number;
            }
        }

        return null;
    }

    /** Waiting steps go on: what a worker had taken when it was ended is queued anew. Only while no worker runs. */
    public static function restore(): void
    {
        if (config('queue.default') !== 'database') {
            return;
        }
        DB::table('jobs')->delete();
        foreach (Step::query()->where('state', Step::WAITING)->orderBy('updated_at')->orderBy('id')->get() as $step) {
            self::queue($step);
        }
    }

    /**
     * What the worker of a queue had taken when it was killed, before it could say so, goes back into it. Another that lives may have taken
     * one of these just now: of two that begin the same step only one does it.
     */
    public static function putBack(string $queue): void
    {
        if (config('queue.default') !== 'database') {
            return;
        }
        // what was only taken is not tried yet: a job that counts as tried is dropped
        DB::table('jobs')->where('queue', $queue)->whereNotNull('reserved_at')->update(['reserved_at' => null, 'attempts' => 0]);
        $queued = array_map(self::stepOf(...), DB::table('jobs')->pluck('payload')->all());
        foreach (Step::query()->where('state', Step::WAITING)->whereNotIn('id', $queued)->orderBy('updated_at')->orderBy('id')->get() as $step) {
            self::queue($step);
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
        $declaration = Registry::get($step->kind)->declaration();
        $settings = $declaration->settings($step->settings);
        $declaration->checkInputs(array_map(strval(...), array_keys($step->inputs)), $settings);
        if ($step->within && $step->study !== null && Area::drawing($step->study)->stamp === 0) {
            throw Problem::call('The study has no area to restrict the step to: draw one first.', 'within');
        }
        foreach ($step->inputs as $name => $input) {
            $port = $declaration->input($name);
            if ($port !== null && $step->study !== null) {
                Inputs::check($step->study, $step, $port, $name, $input);
            }
        }
    }

    /**
     * Steps at one of whose inputs something else stands now than when they ran: an item made anew, a drawing drawn or labelled since,
     * another area to keep to, or what is stale itself. By id: number of the step that is to blame, 0 where it is what a person drew.
     *
     * @return array<int, int>
     */
    public static function stale(Study $study): array
    {
        $current = [];
        foreach ($study->items()->whereNotNull('step_id')->orderBy('id')->get(['id', 'step_id', 'output', 'type']) as $item) {
            $current["$item->step_id/$item->output"] = $item;
        }
        $drawings = $study->drawings()->get(['id', 'step_id', 'name', 'stamp']);
        $keys = $study->keys()->pluck('stamp', 'id');
        $area = $drawings->first(fn (Drawing $one): bool => $one->step_id === null && $one->name === Drawing::AREA)->stamp ?? 0;
        $steps = $study->steps()->get(['id', 'number', 'inputs', 'used', 'within']);
        $numbers = $steps->pluck('number', 'id');
        $stale = [];
        foreach ($steps as $step) {
            if ($step->used === null) {
                continue;
            }
            if ($step->within && $area !== ($step->used['within'] ?? null)) {
                $stale[$step->id] = 0;
            }
            foreach ($step->inputs as $name => $input) {
                $from = $input['step'] ?? null;
                if (isset($input['key'])) {
                    if ($keys->get($input['key']) !== ($step->used[$name] ?? null)) {
                        $stale[$step->id] = 0;
                    }

                    continue;
                }
                if ($from === null && ! isset($input['drawing'])) {
                    continue;
                }
                $item = $current[$from.'/'.($input['output'] ?? 'result')] ?? null;
                $drawing = isset($input['drawing'])
                    ? $drawings->firstWhere('id', $input['drawing'])
                    : ($item?->type === 'points'
                        ? $drawings->firstWhere('step_id', $from)
                        : null);
                if (($drawing === null ? $item?->id : $drawing->stamp) !== ($step->used[$name] ?? null) || isset($stale[$from])) {
                    $stale[$step->id] = (int) $numbers->get($from, 0);
                }
            }
        }

        return $stale;
    }

    /**
     * Runs everything stale anew, in the order of the trail; each waits for what it needs. Check points that
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
