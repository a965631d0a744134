<?php

namespace App\Http\Controllers;

use App\Http\Middleware\Unwritable;
use App\Steps\StepQueue;
use App\System\Jit;

final class HealthController
{
    /** @return array<string, mixed> */
    public function __invoke(): array
    {
        return [
            'mode' => Jit::MODE,
            'server' => ['problem' => config('chorometra.read_only') ? Unwritable::SENTENCE : Jit::problem()],
            'workers' => array_combine(StepQueue::QUEUES, array_map(Jit::worker(...), StepQueue::QUEUES)),
        ];
    }
}
