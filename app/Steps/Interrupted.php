<?php

namespace App\Steps;

use App\Evidence\Looks;
use App\Models\Step;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\GeneratedCode;
use Chorometra\Core\Work\Process;
use Chorometra\Core\Work\Scratch;

/** Steps whose worker is gone say so and can be run again; what it left on the disk is removed. */
final class Interrupted
{
    public static function mark(): void
    {
        if (config('chorometra.read_only')) {
            return;
        }
        $found = false;
        foreach (Step::query()->where('state', Step::RUNNING)->get() as $step) {
            if (! self::lives($step)) {
                if ($step->study !== null) {
                    Results::discard(Results::paths($step, $step->study->folder()));
                }
                $step->fail('The worker was terminated during this step; nothing was changed. Run it again.');
                $found = true;
            }
        }
        if ($found) {
            self::sweep();
        }
    }

    private static function lives(Step $step): bool
    {
        return $step->pid !== null && ($step->process === null
            ? Process::lives($step->pid, $step->started_at?->getTimestamp())
            : Process::mark($step->pid) === $step->process);
    }

    /** What dead processes have left: before each run, and at start. */
    public static function sweep(): void
    {
        Scratch::sweep(self::temporary());
        Looks::sweep(config()->string('chorometra.files'));
        GeneratedCode::sweep();
        foreach (['studies/*/*.part', 'studies/*/trials/*/*.part', '*/*.part'] as $pattern) {
            Process::sweep(config()->string('chorometra.files')."/$pattern");
        }
    }

    public static function temporary(): string
    {
        $folder = config()->string('chorometra.files').'/temporary';
        Files::folder($folder);

        return $folder;
    }
}
