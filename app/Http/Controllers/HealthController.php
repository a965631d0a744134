<?php

namespace App\Http\Controllers;

use App\Support\Jit;

final class HealthController
{
    /** @return array<string, mixed> */
    public function __invoke(): array
    {
        return ['mode' => Jit::MODE, 'server' => ['problem' => Jit::problem()], 'worker' => Jit::worker()];
    }
}
