<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Schema;

/** What each person said of a mark is a row of its own: two who label at once lose nothing. */
return new class extends Migration {
    public function up(): void
    {
        Schema::create('labels', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('mark_id')->constrained()->cascadeOnDelete();
            $table->string('person');
            $table->string('class')->nullable();
            $table->string('second')->nullable();
            $table->string('sure')->nullable();
            $table->boolean('skipped')->default(false);
            $table->timestamps();
            $table->unique(['mark_id', 'person']);
        });
        foreach (DB::table('marks')->whereNotNull('said')->get(['id', 'said']) as $mark) {
            foreach ((array) json_decode((string) $mark->said, true) as $person => $said) {
                DB::table('labels')->insert([
                    'mark_id' => $mark->id,
                    'person' => (string) $person,
                    'class' => $said['class'] ?? null,
                    'second' => $said['second'] ?? null,
                    'sure' => $said['sure'] ?? null,
                    'skipped' => (bool) ($said['skipped'] ?? false),
                    'created_at' => now(),
                    'updated_at' => now(),
                ]);
            }
        }
        Schema::dropColumns('marks', ['said']);
    }

    public function down(): void
    {
        Schema::table('marks', fn (Blueprint $table) => $table->json('said')->nullable());
        foreach (DB::table('labels')->orderBy('id')->get()->groupBy('mark_id') as $mark => $labels) {
            $said = $labels->mapWithKeys(fn (object $one): array => [$one->person => [
                'class' => $one->class, 'second' => $one->second, 'sure' => $one->sure, 'skipped' => (bool) $one->skipped,
            ]]);
            DB::table('marks')->where('id', $mark)->update(['said' => $said->toJson()]);
        }
        Schema::dropIfExists('labels');
    }
};
