<?php

use App\Models\Drawing;
use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Schema;
use Illuminate\Support\Str;

/** The study's area and the check points of steps become drawings of marks, as all that people draw or label. */
return new class extends Migration {
    public function up(): void
    {
        Schema::create('drawings', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('study_id')->constrained()->cascadeOnDelete();
            $table->foreignId('step_id')->nullable()->constrained()->cascadeOnDelete();
            $table->string('name');
            $table->unsignedBigInteger('stamp')->default(0);
            $table->timestamps();
            $table->unique(['study_id', 'step_id', 'name']);
        });
        Schema::create('marks', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('drawing_id')->constrained()->cascadeOnDelete();
            $table->uuid('key')->unique();
            $table->unsignedInteger('number');
            $table->json('geometry');
            $table->string('class')->nullable();
            $table->text('note')->nullable();
            $table->boolean('skipped')->default(false);
            $table->json('properties')->nullable();
            $table->timestamps();
        });
        foreach (DB::table('studies')->get() as $study) {
            $area = (array) json_decode((string) $study->area, true);
            if ($area !== []) {
                $drawing = $this->drawing($study->id, null, Drawing::AREA);
                $rows = array_map(
                    fn (mixed $rings): array => ['geometry' => json_encode(['type' => 'Polygon', 'coordinates' => $rings])],
                    array_values((array) $area['coordinates']),
                );
                $this->fill($drawing, $rows);
            }
            $this->points((int) $study->id);
            $this->inputs((int) $study->id);
        }
        Schema::table('studies', fn (Blueprint $table) => $table->dropColumn('area'));
        Schema::drop('check_points');
    }

    /** Check points go to the drawing of their step. */
    private function points(int $study): void
    {
        foreach (DB::table('check_points')->join('steps', 'steps.id', '=', 'step_id')->where('study_id', $study)->distinct()->pluck('step_id') as $step) {
            $rows = DB::table('check_points')->where('step_id', $step)->orderBy('number')->get()->map(fn (object $point): array => [
                'number' => $point->number,
                'geometry' => json_encode(['type' => 'Point', 'coordinates' => [$point->longitude, $point->latitude]]),
                'class' => $point->label,
                'note' => $point->note,
                'skipped' => $point->skipped,
                'properties' => json_encode(['stratum' => $point->stratum]),
                'updated_at' => $point->updated_at,
            ])->all();
            $this->fill($this->drawing($study, (int) $step, 'check points'), array_values($rows));
        }
    }

    /** Inputs name the drawing of the area, and what was used of a drawing is known by its stamp. */
    private function inputs(int $study): void
    {
        $stamps = DB::table('drawings')->where('study_id', $study)->get();
        $area = $stamps->firstWhere('step_id', null);
        foreach (DB::table('steps')->where('study_id', $study)->get() as $step) {
            $inputs = (array) json_decode((string) $step->inputs, true);
            $used = $step->used === null ? null : (array) json_decode((string) $step->used, true);
            foreach ($inputs as $name => $input) {
                if (isset($input['area'])) {
                    $inputs[$name] = ['drawing' => (int) ($area->id ?? 0)];
                    $used === null || $used[$name] = (int) ($area->stamp ?? 0);
                }
                $from = $stamps->firstWhere('step_id', $input['step'] ?? 0);
                if (
                    $from !== null &&
                    $used !== null &&
                    DB::table('check_points')->where('step_id', $from->step_id)->where('updated_at', '>', $step->finished_at)->doesntExist()
                ) {
                    $used[$name] = (int) $from->stamp;
                }
            }
            if ($step->within && $used !== null) {
                $used['within'] = (int) ($area->stamp ?? 0);
            }
            DB::table('steps')
                ->where('id', $step->id)
                ->update(['inputs' => json_encode((object) $inputs), 'used' => $used === null ? null : json_encode((object) $used)]);
        }
    }

    private function drawing(int $study, ?int $step, string $name): int
    {
        return DB::table('drawings')->insertGetId(['study_id' => $study, 'step_id' => $step, 'name' => $name, 'created_at' => now(), 'updated_at' => now()]);
    }

    /** @param  list<array<string, mixed>>  $rows */
    private function fill(int $drawing, array $rows): void
    {
        foreach ($rows as $i => $row) {
            DB::table('marks')->insert(
                $row + ['drawing_id' => $drawing, 'key' => (string) Str::uuid(), 'number' => $i + 1, 'created_at' => now(), 'updated_at' => now()],
            );
        }
        Drawing::query()->findOrFail($drawing)->restamp();
    }

    public function down(): void
    {
        Schema::table('studies', fn (Blueprint $table) => $table->json('area')->nullable());
        Schema::create('check_points', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('step_id')->constrained()->cascadeOnDelete();
            $table->unsignedInteger('number');
            $table->double('longitude');
            $table->double('latitude');
            $table->double('x');
            $table->double('y');
            $table->string('stratum')->nullable();
            $table->string('label')->nullable();
            $table->text('note')->nullable();
            $table->boolean('skipped')->default(false);
            $table->timestamps();
        });
        Schema::drop('marks');
        Schema::drop('drawings');
    }
};
