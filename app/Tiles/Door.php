<?php

namespace App\Tiles;

use App\Auth\Session;
use App\Http\Guard;
use Chorometra\Core\Problem;

/**
 * The quick way to a tile: answered before the framework is there, which would take most of the time. Browsers ask for tiles by the
 * dozen; all else, and every tile where the environment does not tell what is needed, goes the long way.
 */
final class Door
{
    /** @param  array<mixed>  $server  as PHP's $_SERVER */
    public static function answers(array $server, string $storage): bool
    {
        // only bin/start puts all of it, the password too, into the environment
        $hosts = getenv('CHOROMETRA_START') === false ? false : getenv('CHOROMETRA_HOSTS');
        $uri = is_string($server['REQUEST_URI'] ?? null) ? $server['REQUEST_URI'] : '';
        if (
            ! is_string($hosts) ||
            ($server['REQUEST_METHOD'] ?? '') !== 'GET' ||
            ! preg_match('~^/api/items/(\d{1,15})/tiles/(\d{1,2})/(\d{1,9})/(\d{1,9})\?bands=([\d,]{1,20})(&packed=yes)?$~', $uri, $match)
        ) {
            return false;
        }
        $files = getenv('CHOROMETRA_FILES') ?: "$storage/files";
        $password = getenv('CHOROMETRA_PASSWORD_HASH') ?: null;
        if (Guard::refusal($server, Guard::hosts($hosts)) !== null || ! Session::isIn($password, $_COOKIE, "$files/sessions")) {
            return false;
        }
        [, $item, $z, $x, $y, $bands] = $match;
        $tag = Tile::tag((int) $item, "$z/$x/$y/$bands/".(isset($match[6]) ? 'packed' : 'plain'));
        if (($server['HTTP_IF_NONE_MATCH'] ?? null) === $tag) {
            self::send(304, $tag, '');

            return true;
        }
        try {
            $row = self::item(getenv('DB_DATABASE') ?: "$storage/chorometra.sqlite", (int) $item);
            $meta = json_decode((string) ($row['meta'] ?? ''), true);
            if ($row === null || ! is_array($meta) || ! isset($meta['bands']) || ! is_file($row['path'])) {
                return false;
            }
            $tile = new Tile($row['path'], $meta, (int) $z, (int) $x, (int) $y, $bands);
            self::send(200, $tag, isset($match[6]) ? $tile->packed() : $tile->plain());

            return true;
        } catch (Problem|\PDOException) {
            // the long way has the sentence for it
            return false;
        }
    }

    /** @return array{path: string, meta: string}|null */
    private static function item(string $database, int $id): ?array
    {
        $pdo = new \PDO("sqlite:$database", null, null, [
            \PDO::ATTR_ERRMODE => \PDO::ERRMODE_EXCEPTION,
            \PDO::ATTR_TIMEOUT => 10,
            \PDO::SQLITE_ATTR_OPEN_FLAGS => \PDO::SQLITE_OPEN_READWRITE,
        ]);
        $statement = $pdo->prepare('SELECT path, meta FROM items WHERE id = ?');
        $statement->execute([$id]);
        $row = $statement->fetch(\PDO::FETCH_ASSOC);

        return is_array($row) ? ['path' => (string) $row['path'], 'meta' => (string) $row['meta']] : null;
    }

    private static function send(int $status, string $tag, string $body): void
    {
        http_response_code($status);
        foreach (
            [
                'ETag' => $tag,
                'Cache-Control' => 'private, max-age=31536000, immutable',
                'Content-Type' => 'application/octet-stream',
                'Content-Length' => (string) strlen($body),
            ] + Guard::HEADERS as $name => $value
        ) {
            header("$name: $value");
        }
        echo $body;
    }
}
