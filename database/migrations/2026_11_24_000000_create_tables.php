<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration {
    public function up(): void
    {
        Schema::create('studies', function (Blueprint $table): void {
            $table->id();
            $table->string('name');
            $table->unsignedBigInteger('version')->default(1);
            $table->json('look')->nullable();
            $table->timestamps();
        });
        Schema::create('steps', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('study_id')->constrained()->cascadeOnDelete();
            $table->unsignedInteger('number');
            $table->string('kind');
            $table->json('inputs');
            $table->json('settings');
            $table->json('used')->nullable();
            $table->string('state');
            $table->float('progress')->default(0);
            $table->string('doing')->nullable();
            $table->json('figures')->nullable();
            $table->text('note')->nullable();
            $table->text('problem')->nullable();
            $table->string('about')->nullable();
            $table->boolean('stop')->default(false);
            $table->unsignedInteger('pid')->nullable();
            $table->unsignedInteger('runs')->default(0);
            $table->timestamp('started_at')->nullable();
            $table->timestamp('finished_at')->nullable();
            $table->timestamps();
        });
        Schema::create('items', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('study_id')->constrained()->cascadeOnDelete();
            $table->foreignId('step_id')->nullable()->constrained()->cascadeOnDelete();
            $table->string('output');
            $table->string('type');
            $table->string('path');
            $table->json('meta');
            $table->timestamps();
        });
        Schema::create('pins', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('study_id')->constrained()->cascadeOnDelete();
            $table->string('letter');
            $table->string('name')->nullable();
            $table->double('x');
            $table->double('y');
            $table->timestamps();
        });
        Schema::create('legend_classes', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('study_id')->constrained()->cascadeOnDelete();
            $table->string('name');
            $table->string('colour');
            $table->timestamps();
            $table->unique(['study_id', 'name']);
        });
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
        Schema::create('jobs', function (Blueprint $table): void {
            $table->id();
            $table->string('queue')->index();
            $table->longText('payload');
            $table->unsignedTinyInteger('attempts');
            $table->unsignedInteger('reserved_at')->nullable();
            $table->unsignedInteger('available_at');
            $table->unsignedInteger('created_at');
        });
    }

    public function down(): void
    {
        foreach (['jobs', 'check_points', 'legend_classes', 'pins', 'items', 'steps', 'studies'] as $table) {
            Schema::dropIfExists($table);
        }
    }
};
