<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Schema;

return new class extends Migration {
    public function up(): void
    {
        Schema::table('steps', fn (Blueprint $table) => $table->json('growing')->nullable());
        DB::table('jobs')->update(['queue' => 'short']);
    }

    public function down(): void
    {
        Schema::table('steps', fn (Blueprint $table) => $table->dropColumn('growing'));
    }
};
