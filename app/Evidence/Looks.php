<?php

namespace App\Evidence;

use App\Steps\Interrupted;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Scratch;
use Chorometra\Core\Work\Workers;
use Illuminate\Database\Connection;
use Illuminate\Support\Facades\DB;

/**
 * Looks are what a page asks while somebody draws a limit, a seed or the air along: many a second, and only the newest matters. They have two
 * processes of the server at most, so that tiles never wait for them, and go in by a door of their own, before the framework is there: whoever
 * finds no place is told at once to ask again. A look works in a child that is ended when it takes too long or its page asks anew.
 */
final class Looks
{
    public const PLACES = 2;

    /** Requests that are looks. */
    private const PATHS = '~^/api/(studies/\d{1,15}/(keys/(look|column|apart)|at-pegs|training(/(density|grow|segment))?)|items/\d{1,15}/spectra'
        .')/?$~';

    /** Of these only the newest of a page is wanted. */
    private const REPLACED = '~/(keys/look|at-pegs|training|spectra)/?$~';

    private const SECONDS = 20.0;

    /** @var resource|null held until the request ends */
    private static $place = null;

    private static ?string $ticket = null;

    private static ?Connection $inherited = null;

    private static string $number = '';

    /**
     * Whether a request may go on: it is no look, or there is a place for it.
     *
     * @param  array<mixed>  $server  as PHP's $_SERVER
     */
    public static function enter(array $server, string $folder): bool
    {
        $path = parse_url(is_string($server['REQUEST_URI'] ?? null) ? rawurldecode($server['REQUEST_URI']) : '', PHP_URL_PATH);
        if (($server['REQUEST_METHOD'] ?? '') !== 'POST' || ! is_string($path) || preg_match(self::PATHS, $path) !== 1) {
            return true;
        }
        $folder = "$folder/looks";
        is_dir($folder) || @mkdir($folder, recursive: true);
        $page = $server['HTTP_X_PAGE'] ?? null;
        if (is_string($page) && preg_match('/^[\w-]{8,40}$/', $page) === 1 && preg_match(self::REPLACED, $path) === 1) {
            // what the same page asked before is not wanted any more
            self::$ticket = "$folder/page-".hash('xxh3', "$page $path");
            self::$number = bin2hex(random_bytes(8));
            @file_put_contents(self::$ticket, self::$number);
        }
        for ($k = 0; $k < self::PLACES; $k++) {
            $place = @fopen("$folder/place-$k", 'c');
            if ($place !== false && flock($place, LOCK_EX | LOCK_NB)) {
                self::$place = $place;

                return true;
            }
        }

        return false;
    }

    /** The place is free again. */
    public static function leave(): void
    {
        self::$place = self::$ticket = null;
    }

    /** What whoever finds no place is told. */
    public static function refuse(): void
    {
        http_response_code(503);
        header('Content-Type: application/problem+json');
        header('Retry-After: 1');
        echo json_encode(['type' => 'about:blank', 'title' => 'The server is busy with other previews: try again.', 'status' => 503]);
    }

    /**
     * @template T
     *
     * @param  \Closure(): T  $look  its answer must be serialisable
     * @return T
     *
     * @throws Problem where it takes too long
     */
    public static function at(\Closure $look): mixed
    {
        $work = function () use ($look): mixed {
            self::connect();

            return $look();
        };
        $silent = 'This preview takes more than '.(int) self::SECONDS.' seconds: simplify it, or run the step, which has no such limit.';
        try {
            return Workers::answer($work, self::SECONDS, $silent, self::isWanted(...));
        } finally {
            // what a child that was ended has left
            Scratch::sweep(Interrupted::temporary());
        }
    }

    /** A connection to the database must not be shared with the parent; the one that came along is kept, so that it is not closed here. */
    private static function connect(): void
    {
        $settings = config()->array('database.connections.'.DB::getDefaultConnection());
        if (($settings['database'] ?? null) !== ':memory:') {
            self::$inherited = DB::connection();
            DB::connectUsing('look', $settings);
            DB::setDefaultConnection('look');
        }
    }

    private static function isWanted(): bool
    {
        return self::$ticket === null || @file_get_contents(self::$ticket) === self::$number;
    }

    /** Tickets of pages that are gone. */
    public static function sweep(string $folder): void
    {
        foreach (glob("$folder/looks/page-*") ?: [] as $ticket) {
            if (@filemtime($ticket) < time() - 3600) {
                @unlink($ticket);
            }
        }
    }
}
