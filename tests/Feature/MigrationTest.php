<?php

namespace Tests\Feature;

use App\Models\Step;
use Illuminate\Database\Migrations\Migration;
use Tests\TestCase;

/** Studies that were begun with an earlier version. */
class MigrationTest extends TestCase
{
    public function test_shares_among_settings_become_per_cent_and_nothing_else_changes(): void
    {
        $study = $this->study();
        $settings = [
            'correct.mask' => ['by' => 'reflectance', 'bright' => 0.29, 'white' => 0.3, 'snow' => 0.4],
            'correct.dark-object' => ['assumed' => 0.01, 'percentile' => 1],
            'assess.draw' => ['allocation' => 'neyman', 'expected' => [0.7, 0.95]],
            'derive.index' => [],
        ];
        $steps = [];
        foreach ($settings as $kind => $told) {
            $steps[$kind] = Step::query()->create(['study_id' => $study->id, 'number' => count($steps) + 1, 'kind' => $kind, 'inputs' => [], 'settings' => $told, 'state' => Step::DRAFT]);
        }
        $now = fn (): array => array_map(fn (Step $step): array => $step->refresh()->settings, $steps);
        /** @var Migration&object{up: callable, down: callable} $migration */
        $migration = require database_path('migrations/2026_11_26_210000_settings_in_per_cent.php');

        $migration->up();
        self::assertEquals([
            'correct.mask' => ['by' => 'reflectance', 'bright' => 29, 'white' => 30, 'snow' => 0.4],
            'correct.dark-object' => ['assumed' => 1, 'percentile' => 1],
            'assess.draw' => ['allocation' => 'neyman', 'expected' => [70, 95]],
            'derive.index' => [],
        ], $now());
        $migration->down();
        self::assertEquals($settings, $now());
    }
}
