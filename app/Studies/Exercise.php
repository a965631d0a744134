<?php

namespace App\Studies;

use App\Models\Step;
use App\Models\Study;
use App\Steps\StepQueue;
use Chorometra\Core\Problem;
use Illuminate\Support\Facades\File;

/** A short exercise on the demo data: a study whose first steps are run for the person, and what the page then asks of them (resources/exercises). */
final class Exercise
{
    /** @throws Problem where there is none of that name */
    public static function begin(string $name): Study
    {
        $path = resource_path("exercises/$name.json");
        if (preg_match('/^[a-z-]{1,40}$/', $name) !== 1 || ! is_file($path)) {
            throw Problem::call('There is no such exercise: choose one on the page of studies.', 'exercise');
        }
        $told = File::json($path, JSON_THROW_ON_ERROR);
        $study = Study::query()->create(['name' => $told['title'], 'look' => ['exercise' => ['name' => $name, 'at' => 0, 'isOpen' => true]]]);
        $made = [];
        foreach ($told['prepared'] as $number => ['kind' => $kind, 'inputs' => $inputs, 'settings' => $settings]) {
            $made[$number + 1] = $study->steps()->create([
                'number' => $number + 1,
                'kind' => $kind,
                // the file counts steps as the trail does
                'inputs' => array_map(fn (array $input): array => isset($input['step'])
                    ? ['step' => $made[$input['step']]->id, 'output' => $input['output'] ?? 'result']
                    : $input, $inputs),
                'settings' => $settings,
                'state' => Step::WAITING,
            ]);
        }
        array_map(StepQueue::queue(...), $made);

        return $study;
    }
}
