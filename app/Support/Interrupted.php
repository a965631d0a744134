<?php

namespace App\Support;

use App\Models\Step;
use Chorometra\Core\Engine\Scratch;
use Chorometra\Core\Format\Files;

/** Steps whose worker is gone say so and can be run again; what it left on the disk is removed. */
final class Interrupted
{
    public static function mark(): void
    {
        $found = false;
        foreach (Step::query()->where('state', Step::RUNNING)->get() as $step) {
            if ($step->pid === null || ! self::lives($step->pid)) {
                if ($step->study !== null) {
                    Results::discard(Results::paths($step, $step->study->folder()));
                }
                $step->fail('The worker was ended in the middle of this step; nothing was changed. Run it again.');
                $found = true;
            }
        }
        if ($found) {
            Scratch::sweep(self::temporary());
            foreach (glob(config()->string('chorometra.files').'/studies/*/*.part') ?: [] as $part) {
                if (preg_match('/\.(\d+)\.part$/', $part, $match) && ! file_exists("/proc/$match[1]")) {
                    Files::remove($part);
                }
            }
        }
    }

    public static function temporary(): string
    {
        $folder = config()->string('chorometra.files').'/temporary';
        Files::folder($folder);

        return $folder;
    }

    private static function lives(int $pid): bool
    {
        $state = @file_get_contents("/proc/$pid/stat");

        return is_string($state) && ! preg_match('/^\d+ \(.*\) Z/', $state);
    }
}
