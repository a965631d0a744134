<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration {
    public function up(): void
    {
        Schema::table('studies', function (Blueprint $table): void {
            $table->json('area')->nullable();
            $table->unsignedInteger('epsg')->nullable();
        });
        Schema::table('steps', fn (Blueprint $table) => $table->boolean('within')->default(false));
        Schema::create('archives', function (Blueprint $table): void {
            $table->id();
            $table->string('name');
            $table->string('url', 500)->unique();
            $table->timestamps();
        });
    }

    public function down(): void
    {
        Schema::dropIfExists('archives');
        Schema::table('steps', fn (Blueprint $table) => $table->dropColumn('within'));
        Schema::table('studies', fn (Blueprint $table) => $table->dropColumn(['area', 'epsg']));
    }
};
