<?php

namespace App\Studies;

use App\Models\Step;
use App\Models\Study;
use App\Services\Archives;
use App\Steps\StepQueue;
use Chorometra\Core\Work\Files;
use Chorometra\Demo\Simulator;

/** “Orvane Sound”: the study that stands ready after the first start. */
final class DemoStudy
{
    public const NAME = 'Orvane Sound';

    public static function prepare(): void
    {
        $folder = config()->string('chorometra.demo');
        $there = array_filter(
            array_keys(Simulator::SCENES),
            fn (string $name): bool => is_file(Simulator::bundle($folder, $name)) && is_file(Simulator::truth($folder, $name)),
        );
        // a simulator that has changed since draws another place
        $stamp = md5(implode('', array_map(fn (string $file): string => (string) md5_file($file), glob(base_path('demo/*.php')) ?: [])));
        if (count($there) < count(Simulator::SCENES) || @file_get_contents("$folder/made-by") !== $stamp) {
            Simulator::make($folder);
            Files::write("$folder/made-by", $stamp);
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
            'settings' => [
                'archive' => Archives::STANDIN,
                'collection' => 'velisande-level1',
                'scene' => 'VL1_ORVANE_20310512',
                'groups' => ['multispectral', 'pan', 'thermal'],
            ],
            'state' => Step::WAITING,
        ]);
        StepQueue::queue($step);

        return $study;
    }
}
