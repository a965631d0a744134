<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\DB;

/**
 * Numbers, letters, names and files are there once: the database holds it. Of those that are there twice the later ones get others, and a
 * file that two steps share becomes one for each.
 */
return new class extends Migration {
    public function up(): void
    {
        $this->numbers('steps', 'study_id');
        $this->numbers('marks', 'drawing_id');
        $letters = array_merge(range('A', 'Z'), array_map(fn (string $letter): string => "A$letter", range('A', 'Z')));
        $this->rename('pegs', 'letter', ['study_id'], function (string $letter, array $taken) use ($letters): string {
            return array_values(array_diff($letters, $taken))[0] ?? $letter.count($taken);
        });
        foreach (['drawings' => ['study_id', 'step_id'], 'keys' => ['study_id']] as $table => $within) {
            $this->rename($table, 'name', $within, function (string $name, array $taken): string {
                for ($number = 2; in_array("$name $number", $taken, true); $number++);

                return "$name $number";
            });
        }
        $this->files();
        foreach ([
            'steps_number ON steps (study_id, number)',
            'marks_number ON marks (drawing_id, number)',
            'pegs_letter ON pegs (study_id, letter)',
            // to an index null is never twice the same
            'drawings_name ON drawings (study_id, COALESCE(step_id, 0), name)',
            'keys_name ON keys (study_id, name)',
            'items_path ON items (path)',
        ] as $index) {
            DB::statement("CREATE UNIQUE INDEX $index");
        }
    }

    private function numbers(string $table, string $within): void
    {
        foreach (DB::table($table)->select($within, 'number')->groupBy($within, 'number')->havingRaw('count(*) > 1')->get() as $double) {
            $own = fn () => DB::table($table)->where($within, $double->$within);
            foreach ($own()->where('number', $double->number)->orderBy('id')->skip(1)->take(PHP_INT_MAX)->pluck('id') as $id) {
                DB::table($table)->where('id', $id)->update(['number' => 1 + (int) $own()->max('number')]);
            }
        }
    }

    /**
     * @param  list<string>  $within
     * @param  \Closure(string, list<string>): string  $other  what a name becomes, told those that are taken
     */
    private function rename(string $table, string $column, array $within, Closure $other): void
    {
        foreach (DB::table($table)->select([...$within, $column])->groupBy([...$within, $column])->havingRaw('count(*) > 1')->get() as $double) {
            $own = fn () => array_reduce($within, fn ($query, string $name) => $query->where($name, $double->$name), DB::table($table));
            foreach ($own()->where($column, $double->$column)->orderBy('id')->skip(1)->take(PHP_INT_MAX)->pluck('id') as $id) {
                $taken = array_map(strval(...), array_values($own()->pluck($column)->all()));
                DB::table($table)->where('id', $id)->update([$column => $other((string) $double->$column, $taken)]);
            }
        }
    }

    private function files(): void
    {
        foreach (DB::table('items')->select('path')->groupBy('path')->havingRaw('count(*) > 1')->pluck('path') as $path) {
            foreach (DB::table('items')->where('path', $path)->orderBy('id')->skip(1)->take(PHP_INT_MAX)->pluck('id') as $id) {
                $own = preg_replace('/(\.[a-z]+)?$/', "-$id$0", (string) $path, 1);
                if (is_file($path)) {
                    copy($path, (string) $own);
                    $sidecar = fn (string $raster): string => preg_replace('/\.tiff?$/i', '', $raster).'.stac.json';
                    is_file($sidecar($path)) && copy($sidecar($path), $sidecar((string) $own));
                }
                DB::table('items')->where('id', $id)->update(['path' => $own]);
            }
        }
    }

    public function down(): void
    {
        foreach (['steps_number', 'marks_number', 'pegs_letter', 'drawings_name', 'keys_name', 'items_path'] as $index) {
            DB::statement("DROP INDEX IF EXISTS $index");
        }
    }
};
