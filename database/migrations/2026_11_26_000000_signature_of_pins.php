<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration {
    public function up(): void
    {
        Schema::table('pins', function (Blueprint $table): void {
            $table->string('signature')->nullable();
        });
    }

    public function down(): void
    {
        Schema::table('pins', function (Blueprint $table): void {
            $table->dropColumn('signature');
        });
    }
};
