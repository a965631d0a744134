<?php

namespace App\Http\Controllers;

use App\Evidence\LightScatter;
use App\Http\Describe;
use App\Http\Requests\StepRequest;
use App\Models\Step;
use App\Models\Study;
use App\Steps\Results;
use App\Steps\StepQueue;
use Chorometra\Core\Correct\Ties\TieReport;
use Chorometra\Core\Problem;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Illuminate\Support\Facades\DB;

final class StepController
{
    public function store(StepRequest $request, Study $study): JsonResponse
    {
        $step = new Step([
            'study_id' => $study->id,
            'kind' => $request->string('kind')->value(),
            'inputs' => $request->array('inputs'),
            'settings' => $request->array('settings'),
            'within' => $request->boolean('within'),
            'state' => Step::DRAFT,
        ]);
        StepQueue::check($step);
        // the next number is looked up and taken in one
        DB::transaction(fn (): bool => $step->fill(['number' => 1 + (int) $study->steps()->max('number')])->save());
        if ($request->boolean('run')) {
            StepQueue::run($step);
        }

        return new JsonResponse(Describe::step($step->refresh()), 201);
    }

    /** @return array<string, mixed> */
    public function show(Step $step): array
    {
        return Describe::step($step, $step->study === null ? null : StepQueue::stale($step->study)[$step->id] ?? null);
    }

    /** @return array<string, mixed> */
    public function update(StepRequest $request, Step $step): array
    {
        if ($request->hasAny(['settings', 'inputs', 'within'])) {
            if ($step->isBusy()) {
                throw Problem::call("Step {$step->number} is {$step->state}: stop it before you change it.");
            }
            $step->fill([
                'settings' => $request->has('settings') ? $request->array('settings') : $step->settings,
                'inputs' => $request->has('inputs') ? $request->array('inputs') : $step->inputs,
                'within' => $request->has('within') ? $request->boolean('within') : $step->within,
            ]);
            StepQueue::check($step);
        }
        if ($request->has('note')) {
            $step->note = $request->input('note');
        }
        $step->save();
        if ($request->boolean('run')) {
            StepQueue::run($step);
        }

        return Describe::step($step->refresh());
    }

    public function run(Step $step): JsonResponse
    {
        StepQueue::run($step);

        return new JsonResponse(Describe::step($step->refresh()), 202);
    }

    public function stop(Step $step): JsonResponse
    {
        // a worker may take it at this moment: whichever of the two comes first holds
        if (Step::query()->whereKey($step->id)->where('state', Step::WAITING)->update(['state' => Step::STOPPED]) === 1) {
            $step->refresh()->update(['problem' => 'Stopped before it started.', 'finished_at' => now()]);
        } elseif ($step->refresh()->state === Step::RUNNING) {
            $step->update(['stop' => true]);
        }

        return new JsonResponse(Describe::step($step->refresh()), 202);
    }

    /**
     * The fit through the tie points of a co-registration with some struck out, before it is run again.
     *
     * @return array<string, mixed>
     */
    public function fit(Request $request, Step $step): array
    {
        $input = $request->validate([
            'strike' => ['present', 'array', 'max:10000'],
            'strike.*' => ['integer', 'min:1'],
            'transform' => ['sometimes', 'string'],
        ]);
        $points = $step->figures['tie-points'] ?? null;
        $item = $step->items()->where('output', 'result')->latest('id')->first();
        if (! is_array($points) || $item === null) {
            throw Problem::call('This step has no tie points: run it first.');
        }
        $setting = fn (string $name): mixed => $step->declaration()->setting($name)?->value($step->settings[$name] ?? null);

        return TieReport::again(
            array_values($points),
            $item->image()->spec()->grid,
            (string) ($input['transform'] ?? $setting('transform')),
            (float) $setting('least-match'),
            (float) ($setting('reject') ?? 1e9),
            array_map(intval(...), $input['strike']),
        );
    }

    /** @return array<string, mixed> */
    public function light(Request $request, Step $step): array
    {
        return LightScatter::of($step, $request->integer('band', 1));
    }

    public function destroy(Step $step): Response
    {
        if ($step->isBusy()) {
            throw Problem::call("Step {$step->number} is {$step->state}: stop it first.");
        }
        foreach ($step->study->steps ?? [] as $other) {
            foreach ($other->inputs as $input) {
                if (($input['step'] ?? null) === $step->id) {
                    throw Problem::call("Step {$other->number} uses the result of step {$step->number}: remove that one first.");
                }
            }
        }
        $items = $step->items()->get();
        $step->delete();
        Results::forget($items);

        return response()->noContent();
    }
}
