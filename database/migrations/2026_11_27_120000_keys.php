<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

/** Keys are made on the desk and belong to the study. */
return new class extends Migration {
    public function up(): void
    {
        Schema::create('keys', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('study_id')->constrained()->cascadeOnDelete();
            $table->string('name');
            $table->json('document');
            $table->unsignedBigInteger('stamp');
            $table->timestamps();
        });
    }

    public function down(): void
    {
        Schema::dropIfExists('keys');
    }
};
