<?php

namespace Chorometra\Core\Format\Web;

use Chorometra\Core\Problem;

/** Calls over HTTP: small texts of JSON, and files that are fetched on from where they broke off. */
final class Http
{
    private const MOST_TEXT = 32 << 20;

    private const MOST_PICTURE = 4 << 20;

    private const MOST_REDIRECTIONS = 5;

    private const SECONDS = 20;

    /**
     * @param  string  $what  who is asked, for messages
     * @param  array<string, mixed>|null  $body  sent as JSON by POST
     * @param  string  $about  the setting that holds the address, and $kind what should answer there
     * @return array<string, mixed>
     *
     * @throws Problem where the service does not answer in time, or with something else
     */
    public static function json(
        string $url,
        string $what,
        ?array $body = null,
        bool $post = false,
        string $about = 'archive',
        string $kind = 'a STAC API',
    ): array {
        [$status, $text] = self::text(
            $url,
            $what,
            $about,
            self::MOST_TEXT,
            $body !== null || $post ? json_encode($body ?? (object) [], JSON_UNESCAPED_SLASHES | JSON_THROW_ON_ERROR) : null,
        );
        if ($status === 429 || $status >= 500) {
            throw new Unreachable("$what is temporarily unavailable (status $status): try again later.", 3, $about);
        }
        $json = json_decode($text, true);
        if ($status >= 400) {
            $told = is_array($json) ? ($json['description'] ?? $json['detail'] ?? $json['title'] ?? $json['message'] ?? '') : '';
            throw Problem::input("$what refuses the request (status $status".(is_string($told) && $told !== '' ? ": $told" : '').').', $about);
        }
        if (! is_array($json)) {
            throw Problem::input("$what answers with something other than JSON: is this the address of $kind?", $about);
        }

        return $json;
    }

    /**
     * A small picture as browsers show it.
     *
     * @return array{type: string, bytes: string}
     *
     * @throws Problem where there is no picture
     */
    public static function picture(string $url, string $what): array
    {
        [$status, $bytes] = self::text($url, $what, 'archive', self::MOST_PICTURE);
        $type = match (true) {
            str_starts_with($bytes, "\x89PNG\r\n\x1a\n") => 'image/png',
            str_starts_with($bytes, "\xff\xd8\xff") => 'image/jpeg',
            str_starts_with($bytes, 'RIFF') && substr($bytes, 8, 4) === 'WEBP' => 'image/webp',
            default => null,
        };
        if ($status !== 200 || $type === null) {
            throw Problem::input("$what has no preview of this scene.", 'archive');
        }

        return ['type' => $type, 'bytes' => $bytes];
    }

    /**
     * @param  string|null  $post  JSON to be sent by POST
     * @return array{int, string} status and body
     */
    private static function text(string $url, string $what, string $about, int $most, ?string $post = null, int $redirected = 0): array
    {
        $text = '';
        $handle = self::handle($url, $what, $about);
        $headers = ['Accept: application/geo+json, application/json, image/*;q=0.5'];
        if ($post !== null) {
            $headers[] = 'Content-Type: application/json';
            curl_setopt_array($handle, [CURLOPT_POST => true, CURLOPT_POSTFIELDS => $post]);
        }
        curl_setopt_array($handle, [
            CURLOPT_HTTPHEADER => $headers,
            CURLOPT_TIMEOUT => self::SECONDS,
            CURLOPT_WRITEFUNCTION => function ($handle, string $piece) use (&$text, $most): int {
                $text .= $piece;

                return strlen($text) > $most ? 0 : strlen($piece);
            },
        ]);
        $done = curl_exec($handle);
        $status = curl_getinfo($handle, CURLINFO_RESPONSE_CODE);
        $next = curl_getinfo($handle, CURLINFO_REDIRECT_URL);
        $trouble = curl_error($handle);
        curl_close($handle);
        if (strlen($text) > $most) {
            throw Problem::input(sprintf('%s answers with more than %d MB: ask for less.', $what, $most >> 20), $about);
        }
        if ($done === false) {
            throw new Unreachable("$what does not answer ($trouble): check the address, or try again later.", 3, $about);
        }
        if (is_string($next) && $next !== '') {
            // 307 and 308 keep what was sent; the older ones are asked anew
            return self::text(self::next($next, $redirected, $what, $about), $what, $about, $most, $status >= 307 ? $post : null, $redirected + 1);
        }

        return [$status, $text];
    }

    private static function next(string $url, int $redirected, string $what, string $about): string
    {
        return $redirected < self::MOST_REDIRECTIONS ? $url : throw Problem::input("$what redirects without end.", $about);
    }

    /**
     * The rest of a file, from as many bytes on as $part has already.
     *
     * @param  \Closure(int, int|null): void  $progress  bytes there and bytes in all
     * @return int bytes in all
     *
     * @throws Unreachable where it broke off; what came is kept
     */
    public static function resume(string $url, string $part, string $what, ?int $most, \Closure $progress, int $redirected = 0): int
    {
        clearstatcache(true, $part);
        $have = is_file($part) ? (int) filesize($part) : 0;
        $file = @fopen($part, $have > 0 ? 'ab' : 'wb');
        if ($file === false) {
            throw Problem::computation('The folder '.dirname($part).' can\'t be written to: check the permission.');
        }
        $handle = self::handle($url, $what);
        $total = null;
        $trouble = null;
        $status = 0;
        curl_setopt_array($handle, [
            CURLOPT_LOW_SPEED_LIMIT => 1,
            CURLOPT_LOW_SPEED_TIME => self::SECONDS,
            CURLOPT_HEADERFUNCTION => function ($handle, string $line) use (&$status, &$total, &$have, $file): int {
                if (preg_match('~^HTTP/\S+ (\d+)~', $line, $match)) {
                    $status = (int) $match[1];
                    if ($status === 200 && $have > 0) {
                        // it starts from the beginning after all
                        ftruncate($file, 0);
                        $have = 0;
                    }
                } elseif (preg_match('~^content-range:\s*bytes \d+-\d+/(\d+)~i', $line, $match)) {
                    $total = (int) $match[1];
                } elseif ($status === 200 && preg_match('~^content-length:\s*(\d+)~i', $line, $match)) {
                    $total = (int) $match[1];
                }

                return strlen($line);
            },
            CURLOPT_WRITEFUNCTION => function ($handle, string $piece) use (&$have, &$total, &$status, &$trouble, $file, $most, $part, $what, $progress): int {
                if ($status !== 200 && $status !== 206) {
                    return strlen($piece);
                }
                if ($most !== null && $have + strlen($piece) > $most) {
                    $trouble = Problem::input("$what sends more than the ".number_format($most).' bytes that it announced.', 'archive');

                    return 0;
                }
                if (@fwrite($file, $piece) !== strlen($piece)) {
                    $trouble = Problem::computation(
                        'The disk that holds '.dirname($part).' is full: free some space, then run the step again; the part downloaded so far is kept.',
                    );

                    return 0;
                }
                $have += strlen($piece);
                $progress($have, $total ?? $most);

                return strlen($piece);
            },
        ]);
        if ($have > 0) {
            curl_setopt($handle, CURLOPT_RANGE, "$have-");
        }
        $done = curl_exec($handle);
        $error = curl_error($handle);
        $next = curl_getinfo($handle, CURLINFO_REDIRECT_URL);
        curl_close($handle);
        fclose($file);
        if (is_string($next) && $next !== '') {
            return self::resume(self::next($next, $redirected, $what, 'archive'), $part, $what, $most, $progress, $redirected + 1);
        }
        if ($trouble instanceof Problem) {
            throw $trouble;
        }
        if ($status === 416) {
            // nothing is left to fetch, or the file is another one now: its checksum tells
            return $have;
        }
        if ($status >= 400 && $status < 500 && $status !== 429) {
            throw Problem::input("$what refuses the download (status $status).", 'archive');
        }
        if ($done === false || $status === 429 || $status >= 500 || ($total !== null && $have < $total)) {
            throw new Unreachable($status === 429 || $status >= 500 ? "status $status" : ($error !== '' ? $error : 'it broke off'), 3, 'archive');
        }

        return $total ?? $have;
    }

    private static function handle(string $url, string $what, string $about = 'archive'): \CurlHandle
    {
        if (! preg_match('~^https?://[^\s/\x00-\x20][^\x00-\x20]*$~i', $url)) {
            throw Problem::call("“{$url}” is no address of $what: it must begin with http:// or https://.", $about);
        }
        $handle = curl_init($url);
        assert($handle !== false);
        // redirections are followed by hand: each address is looked at
        $pinned = HostPolicy::pinned($url, $what, $about);
        curl_setopt_array($handle, ($pinned === null ? [] : [CURLOPT_RESOLVE => $pinned, CURLOPT_PROXY => '']) + [
            CURLOPT_FOLLOWLOCATION => false,
            CURLOPT_PROTOCOLS => CURLPROTO_HTTP | CURLPROTO_HTTPS,
            CURLOPT_CONNECTTIMEOUT => 10,
            CURLOPT_USERAGENT => 'Chorometra',
        ]);

        return $handle;
    }
}
