<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

/** Several people label the same points, each with a second label and how sure they are. */
return new class extends Migration {
    public function up(): void
    {
        Schema::table('marks', function (Blueprint $table): void {
            $table->string('second')->nullable();
            $table->string('sure')->nullable();
            $table->json('said')->nullable();
        });
    }

    public function down(): void
    {
        Schema::dropColumns('marks', ['second', 'sure', 'said']);
    }
};
