<?php

namespace App\Http;

/**
 * Who may ask: pages of this application under its own names, and programs on this machine. It needs no framework, since tiles are
 * answered before one is there.
 */
final class Guard
{
    /** What every answer says to the browser. */
    public const HEADERS = [
        'Content-Security-Policy' => "default-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
        'X-Content-Type-Options' => 'nosniff',
        'X-Frame-Options' => 'DENY',
        'Cross-Origin-Resource-Policy' => 'same-origin',
        'Cross-Origin-Opener-Policy' => 'same-origin',
        'Referrer-Policy' => 'same-origin',
    ];

    private const SAFE = ['GET', 'HEAD', 'OPTIONS'];

    /**
     * Why a request is refused, or nothing. No path is looked at: whichever way a path is written, what it leads to is known to its route.
     *
     * A name that is none of ours may resolve to this machine and so be of one origin with us: by the name it is refused. Nothing is read or
     * changed by another page; a link to us may be followed.
     *
     * @param  array<mixed>  $server  as PHP's $_SERVER
     * @param  list<string>  $hosts  names with ports under which the application is reached
     * @return array{int, string}|null status and one sentence
     */
    public static function refusal(array $server, array $hosts): ?array
    {
        $host = self::text($server, 'HTTP_HOST');
        if (! in_array($host, $hosts, true)) {
            return [421, 'Chorometra is not served under this name: use one that bin/start prints, or start it with --host and this name.'];
        }
        $site = self::text($server, 'HTTP_SEC_FETCH_SITE');
        if (self::isSafe($server)) {
            return in_array($site, ['cross-site', 'same-site'], true) && self::text($server, 'HTTP_SEC_FETCH_MODE') !== 'navigate'
                ? [403, 'This request came from another site: only Chorometra\'s own pages may send it.']
                : null;
        }
        $origin = self::text($server, 'HTTP_ORIGIN');
        $isOwn = ($origin === '' || $origin === "http://$host" || $origin === "https://$host") && ($site === '' || $site === 'same-origin');

        return $isOwn ? null : self::foreign();
    }

    /**
     * Why something may not be changed by a request that says nothing of where it comes from: browsers give a sign of it, and programs, which have
     * no cookies and no pages to be misled by, give an Origin themselves.
     *
     * @param  array<mixed>  $server
     * @return array{int, string}|null
     */
    public static function unsaid(array $server): ?array
    {
        return self::isSafe($server) || self::text($server, 'HTTP_ORIGIN').self::text($server, 'HTTP_SEC_FETCH_SITE') !== '' ? null : self::foreign();
    }

    /**
     * Why a request from another machine is refused by what is for this one only.
     *
     * @param  array<mixed>  $server
     * @param  list<string>  $hosts
     * @return array{int, string}|null
     */
    public static function away(array $server, array $hosts): ?array
    {
        return self::isHere(self::text($server, 'REMOTE_ADDR'), self::text($server, 'HTTP_X_FORWARDED_FOR').self::text($server, 'HTTP_FORWARDED'), $hosts)
            ? null
            : [404, 'Stand-ins are reached from this machine only.'];
    }

    /** @return array{int, string} */
    private static function foreign(): array
    {
        return [
            403,
            'This request came from another site, or without an origin: only Chorometra\'s own pages may change data '
                .'(programs send an Origin header with the server\'s address).',
        ];
    }

    /** @param  array<mixed>  $server */
    private static function isSafe(array $server): bool
    {
        return in_array(strtoupper(self::text($server, 'REQUEST_METHOD') ?: 'get'), self::SAFE, true);
    }

    /** @param  array<mixed>  $server */
    private static function text(array $server, string $name): string
    {
        return is_string($server[$name] ?? null) ? strtolower(trim($server[$name])) : '';
    }

    /**
     * The names with ports under which the application is reached.
     *
     * @param  string|false|null  $told  separated by commas; this machine's own when there are none
     * @return list<string>
     */
    public static function hosts(string|false|null $told, string $address = 'http://127.0.0.1:8420'): array
    {
        if (is_string($told) && $told !== '') {
            return array_map(fn (string $host): string => strtolower(trim($host)), explode(',', $told));
        }
        $port = parse_url($address, PHP_URL_PORT);

        return array_map(fn (string $name): string => $name.($port === null || $port === false ? '' : ":$port"), ['127.0.0.1', 'localhost', '[::1]']);
    }

    /** @param  list<string>  $hosts */
    private static function isHere(string $address, string $forwarded, array $hosts): bool
    {
        if ($forwarded !== '') {
            return false;
        }
        $names = array_map(fn (string $host): string => trim((string) preg_replace('/:\d+$/', '', $host), '[]'), $hosts);

        return $address === '' ||
            $address === '::1' ||
            preg_match('/^(::ffff:)?127\./', $address) === 1 ||
            in_array((string) preg_replace('/^::ffff:/', '', $address), $names, true);
    }
}
