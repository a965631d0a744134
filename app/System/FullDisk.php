<?php

namespace App\System;

/** A full disk, as the database and PHP say it. */
final class FullDisk
{
    public const SENTENCE = 'The disk is full: free some space and try again. Nothing was changed.';

    public static function caused(\Throwable $error): bool
    {
        $said = $error->getMessage();

        // a query says so, and a transaction when it is closed
        return ($error instanceof \PDOException && preg_match('/disk is full|disk I\/O error|readonly database/', $said) === 1) ||
            str_contains($said, 'No space left on device');
    }
}
