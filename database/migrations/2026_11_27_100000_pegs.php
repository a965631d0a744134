<?php

use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\Schema;

/** What was called a pin is a peg; people keep what they have. */
return new class extends Migration {
    public function up(): void
    {
        Schema::rename('pins', 'pegs');
    }

    public function down(): void
    {
        Schema::rename('pegs', 'pins');
    }
};
