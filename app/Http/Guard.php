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
     * Why a request is refused, or nothing.
     *
     * A name that is none of ours may resolve to this machine and so be of one origin with us: by the name it is refused. What changes
     * something needs a sign from the browser that it comes from one of our own pages; programs, which have no cookies and no pages to
     * be misled by, give an Origin themselves. Stand-ins speak to programs, and only to those on this machine.
     *
     * @param  array<mixed>  $server  as PHP's $_SERVER
     * @param  list<string>  $hosts  names with ports under which the application is reached
     * @return array{int, string}|null status and one sentence
     */
    public static function refusal(array $server, array $hosts): ?array
    {
        $text = fn (string $name): string => is_string($server[$name] ?? null) ? strtolower(trim($server[$name])) : '';
        $host = $text('HTTP_HOST');
        if (! in_array($host, $hosts, true)) {
            return [421, 'Chorometra is not served under this name: use one that bin/start tells, or start it with --host and this name.'];
        }
        $path = parse_url($text('REQUEST_URI'), PHP_URL_PATH) ?: '/';
        $isStandin = str_starts_with($path, '/standin');
        $site = $text('HTTP_SEC_FETCH_SITE');
        if ($isStandin && ! self::isHere($text('REMOTE_ADDR'), $text('HTTP_X_FORWARDED_FOR').$text('HTTP_FORWARDED'), $hosts)) {
            return [404, 'Stand-ins are reached from this machine only.'];
        }
        if (in_array(strtoupper($text('REQUEST_METHOD') ?: 'get'), self::SAFE, true)) {
            $isForeign = in_array($site, ['cross-site', 'same-site'], true) && $text('HTTP_SEC_FETCH_MODE') !== 'navigate';

            return $isForeign && ($isStandin || str_starts_with($path, '/api'))
                ? [403, 'Another page asked for this: only Chorometra\'s own pages may.']
                : null;
        }
        $origin = $text('HTTP_ORIGIN');
        $isOwn = ($origin === '' || $origin === "http://$host" || $origin === "https://$host") && ($site === '' || $site === 'same-origin');
        $isSaid = $origin !== '' || $site !== '';

        return $isOwn && ($isSaid || $isStandin)
            ? null
            : [
                403,
                'Another page asked for this, or a program that does not say where it comes from: only Chorometra\'s own pages may change something '
                    .'(programs send an Origin header with its address).',
            ];
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
