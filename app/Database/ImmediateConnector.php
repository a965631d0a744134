<?php

namespace App\Database;

use Illuminate\Database\Connectors\SQLiteConnector;

final class ImmediateConnector extends SQLiteConnector
{
    /**
     * @param  string  $dsn
     * @param  string|null  $username
     * @param  string|null  $password
     * @param  array<int, mixed>  $options
     */
    protected function createPdoConnection($dsn, $username, #[\SensitiveParameter] $password, $options): \PDO
    {
        if (config('chorometra.read_only')) {
            // on a disk that takes nothing there is no room for the files beside the database either
            $path = str_replace(['%', '?', '#'], ['%25', '%3f', '%23'], substr($dsn, strlen('sqlite:')));

            return new \PDO("sqlite:file:$path?immutable=1", $username, $password, $options + [\PDO::SQLITE_ATTR_OPEN_FLAGS => \PDO::SQLITE_OPEN_READONLY]);
        }

        return new ImmediatePdo($dsn, $username, $password, $options);
    }
}
