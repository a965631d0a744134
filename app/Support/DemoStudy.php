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

    /** The study with its first scene on order: it comes when server and worker run. */
    public static function create(): Study
    {
        $study = Study::query()->create(['name' => self::NAME]);
        $step = $study->steps()->create([
            'number' => 1,
            'kind' => 'gather.order',
            'inputs' => [],
            'settings' => ['archive' => Archives::STANDIN, 'collection' => 'velisande-level1', 'scene' => 'VL1_ORVANE_20310512', 'groups' => ['multispectral', 'pan', 'thermal']],
            'state' => Step::WAITING,
        ]);
        RunStep::dispatch($step->id);

        return $study;
    }
}
