<?php

use Chorometra\Core\Work\Utf8;
use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\DB;

/** Texts that came in by a door that did not look at their encoding become UTF-8: with one of them nothing beside it could be read. */
return new class extends Migration {
    private const TEXTS = [
        'studies' => ['name'],
        'steps' => ['note', 'problem'],
        'drawings' => ['name'],
        'marks' => ['class', 'second', 'note'],
        'labels' => ['person', 'class', 'second'],
        'pegs' => ['name', 'signature'],
        'legend_classes' => ['name'],
    ];

    public function up(): void
    {
        foreach (self::TEXTS as $table => $columns) {
            foreach (DB::table($table)->orderBy('id')->lazyById(500) as $row) {
                $spoilt = array_filter($columns, fn (string $column): bool => is_string($row->$column) && ! mb_check_encoding($row->$column, 'UTF-8'));
                foreach ($spoilt as $column) {
                    try {
                        DB::table($table)->where('id', $row->id)->update([$column => Utf8::of($row->$column)]);
                    } catch (\Illuminate\Database\UniqueConstraintViolationException) {
                        // it is there in UTF-8 as well
                        DB::table($table)->where('id', $row->id)->delete();
                    }
                }
            }
        }
    }

    public function down(): void
    {
        // nobody wants that back
    }
};
