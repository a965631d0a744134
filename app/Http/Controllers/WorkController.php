<?php

namespace App\Http\Controllers;

use App\Http\Describe;
use App\Models\Step;
use App\Steps\Interrupted;

final class WorkController
{
    /**
     * Everything waiting, running and lately finished, over all studies.
     *
     * @return list<array<string, mixed>>
     */
    public function __invoke(): array
    {
        Interrupted::mark();
        $steps = Step::query()
            ->with(['study', 'items'])
            ->whereIn('state', [Step::WAITING, Step::RUNNING])
            ->orderBy('id')
            ->get()
            ->concat(
                Step::query()
                    ->with(['study', 'items'])
                    ->whereNotIn('state', [Step::WAITING, Step::RUNNING, Step::DRAFT])
                    ->whereNotNull('finished_at')
                    ->orderByDesc('finished_at')
                    ->limit(8)
                    ->get(),
            );

        return array_map(
            fn (Step $step): array => ['studyName' => $step->study?->name, 'finished' => $step->finished_at?->toIso8601String()] + Describe::step($step),
            array_values($steps->all()),
        );
    }
}
