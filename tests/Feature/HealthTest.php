<?php

namespace Tests\Feature;

use App\System\Jit;
use Tests\TestCase;

final class HealthTest extends TestCase
{
    public function test_workers_of_a_second_start_that_has_ended_leave_those_of_the_first(): void
    {
        Jit::announceWorker('short');
        $child = pcntl_fork();
        if ($child === 0) {
            Jit::announceWorker('short');
            posix_kill(posix_getpid(), SIGKILL);
        }
        pcntl_waitpid($child, $status);

        $this->getJson('/api/health')->assertOk()->assertJsonPath('workers.short.pid', getmypid())->assertJsonPath('workers.short.alive', true);
    }
}
