<?php

namespace App\Http\Controllers;

use App\Http\Describe;
use App\Models\Item;
use App\Models\Step;
use App\Models\Study;
use App\Steps\Interrupted;
use App\Steps\StepQueue;
use App\Studies\DemoStudy;
use App\Studies\Exercise;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;
use Chorometra\Demo\Simulator;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\Response;

final class StudyController
{
    /** @return list<array<string, mixed>> */
    public function index(): array
    {
        return array_map(function (Study $study): array {
            $items = $study->items()->whereNotNull('step_id')->whereIn('type', ['image', 'classes'])->latest('id')->limit(20)->get();
            // the last one with colours, if there is one
            $last = $items->first(fn (Item $item): bool => $item->type === 'classes' || count($item->meta['bands']) >= 3) ?? $items->first();

            return [
                'id' => $study->id,
                'name' => $study->name,
                'steps' => $study->steps()->count(),
                'changed' => $study->updated_at->toIso8601String(),
                'picture' => $last instanceof Item ? Describe::item($last) : null,
                'exercise' => is_array($study->look['exercise'] ?? null) ? $study->look['exercise'] : null,
            ];
        }, array_values(Study::query()->orderByDesc('updated_at')->get()->all()));
    }

    public function store(Request $request): JsonResponse
    {
        $input = $request->validate(['name' => ['required', 'string', 'max:120']], ['name.*' => 'Give the study a name of at most 120 letters.']);

        return new JsonResponse(Describe::study(Study::query()->create($input)->refresh()), 201);
    }

    /** @return array<string, mixed> */
    public function show(Study $study): array
    {
        return Describe::study($study);
    }

    /** What changed since the version that a browser has; nothing is sent when it is the present one. */
    public function news(Request $request, Study $study): JsonResponse|Response
    {
        $since = $request->has('since') ? $request->integer('since') : null;
        if ($since === $study->version && $study->steps()->where('state', Step::RUNNING)->exists()) {
            Interrupted::mark();
            $study->refresh();
        }

        return $since === $study->version ? response()->noContent() : new JsonResponse(Describe::news($study, $since));
    }

    /** @return array<string, mixed> */
    public function update(Request $request, Study $study): array
    {
        $input = $request->validate(
            ['name' => ['sometimes', 'string', 'max:120'], 'look' => ['sometimes', 'array']],
            ['name.*' => 'Give the study a name of at most 120 letters.'],
        );
        $study->update($input);
        if (isset($input['name'])) {
            $study->changed();
        }

        return ['id' => $study->id, 'name' => $study->name];
    }

    public function destroy(Study $study): Response
    {
        if ($study->steps()->whereIn('state', [Step::WAITING, Step::RUNNING])->exists()) {
            throw Problem::call('Steps of this study are running: stop them first.');
        }
        $folder = $study->folder();
        $study->delete();
        Files::remove($folder);

        return response()->noContent();
    }

    public function refresh(Study $study): JsonResponse
    {
        return new JsonResponse(StepQueue::refresh($study), 202);
    }

    /**
     * The bundles that ship with the product.
     *
     * @return list<array{file: string, date: string, bytes: int}>
     */
    public function demo(): array
    {
        $bundles = [];
        foreach (Simulator::SCENES as $name => [$date]) {
            $path = Simulator::bundle(config()->string('chorometra.demo'), $name);
            if (is_file($path)) {
                $bundles[] = ['file' => basename($path), 'kind' => Simulator::KIND, 'date' => $date, 'bytes' => (int) filesize($path)];
            }
        }

        return $bundles;
    }

    /** The demo study anew, for whoever has removed it. */
    public function openDemo(): JsonResponse
    {
        return new JsonResponse(Describe::study(DemoStudy::create()->refresh()), 201);
    }

    public function beginExercise(string $exercise): JsonResponse
    {
        return new JsonResponse(Describe::study(Exercise::begin($exercise)->refresh()), 201);
    }
}
