<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

/** Which process runs a step is known by more than its number and the clock, which may jump. */
return new class extends Migration {
    public function up(): void
    {
        Schema::table('steps', fn (Blueprint $table) => $table->string('process')->nullable());
    }

    public function down(): void
    {
        Schema::dropColumns('steps', ['process']);
    }
};
