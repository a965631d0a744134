<?php

namespace App\Support;

use App\Jobs\RunStep;
use App\Models\Step;
use App\Models\Study;
use Chorometra\Demo\Simulator;

/** “Orvane Sound”: the study that stands ready after the first start. */
final class DemoStudy
{
    public const NAME = 'Orvane Sound';

    public static function prepare(): void
    {
        $folder = config()->string('chorometra.demo');
        if (count(array_filter(array_keys(Simulator::SCENES), fn (string $name): bool => is_file(Simulator::bundle($folder, $name)) && is_file(Simulator::truth($folder, $name)))) < count(Simulator::SCENES)) {
            Simulator::make($folder);
        }
        if (Study::query()->doesntExist()) {
            self::create();
        }
    }

    /** The study with its first step run at once, or left to the queue. */
    public static function create(bool $queued = false): Study
    {
        $study = Study::query()->create(['name' => self::NAME]);
        $step = $study->steps()->create([
            'number' => 1,
            'kind' => 'gather.bundle',
            'inputs' => ['image' => ['demo' => 'orvane-2031.tar.gz']],
            'settings' => ['groups' => ['multispectral', 'pan', 'thermal']],
            'state' => Step::WAITING,
        ]);
        $queued ? RunStep::dispatch($step->id) : (new RunStep($step->id))->handle();

        return $study;
    }
}
