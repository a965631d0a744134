<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\DB;

/** Shares among the settings of steps were held as fractions; they are held in per cent. */
return new class extends Migration {
    private const SETTINGS = ['correct.mask' => ['bright', 'white', 'dark'], 'correct.dark-object' => ['assumed'], 'assess.draw' => ['expected']];

    public function up(): void
    {
        $this->times(100);
    }

    public function down(): void
    {
        $this->times(0.01);
    }

    private function times(float $factor): void
    {
        foreach (self::SETTINGS as $kind => $names) {
            foreach (DB::table('steps')->where('kind', $kind)->get(['id', 'settings']) as $step) {
                $settings = (array) json_decode((string) $step->settings, true);
                foreach (array_intersect($names, array_keys($settings)) as $name) {
                    $settings[$name] = match (true) {
                        is_array($settings[$name]) => array_map(fn (mixed $one): float => round((float) $one * $factor, 12), $settings[$name]),
                        is_numeric($settings[$name]) => round((float) $settings[$name] * $factor, 12),
                        default => $settings[$name],
                    };
                }
                DB::table('steps')->where('id', $step->id)->update(['settings' => json_encode((object) $settings)]);
            }
        }
    }
};
