<?php

namespace App\System;

use Illuminate\Database\QueryException;

/** A full disk, as the database and PHP say it. */
final class FullDisk
{
    public const SENTENCE = 'The disk is full: make room, then try again. Nothing was changed.';

    public static function caused(\Throwable $error): bool
    {
        $said = $error->getMessage();

        return ($error instanceof QueryException && (str_contains($said, 'disk is full') || str_contains($said, 'disk I/O error'))) ||
            str_contains($said, 'No space left on device');
    }
}
