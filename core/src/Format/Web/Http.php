<?php

namespace Chorometra\Core\Format\Web;

use Chorometra\Core\Problem;

/** Calls over HTTP: small texts of JSON, and files that are fetched on from where they broke off. */
final class Http
{
    private const MOST_TEXT = 32 << 20;

    private const SECONDS = 20;

    /**
     * @param  string  $what  who is asked, for messages
     * @param  array<string, mixed>|null  $body  sent as JSON by POST
     * @param  string  $about  the setting that holds the address, and $kind what should answer there
     * @return array<string, mixed>
     */
    public static function json(string $url, string $what, ?array $body = null, bool $post = false, string $about = 'archive', string $kind = 'a STAC API'): array
    {
        $text = '';
        $handle = self::handle($url, $what, $about);
        $headers = ['Accept: application/geo+json, application/json'];
        if ($body !== null || $post) {
            $headers[] = 'Content-Type: application/json';
            curl_setopt_array($handle, [CURLOPT_POST => true, CURLOPT_POSTFIELDS => json_encode($body ?? (object) [], JSON_UNESCAPED_SLASHES | JSON_THROW_ON_ERROR)]);
        }
        curl_setopt_array($handle, [
            CURLOPT_HTTPHEADER => $headers,
            CURLOPT_TIMEOUT => self::SECONDS,
            CURLOPT_WRITEFUNCTION => function ($handle, string $piece) use (&$text): int {
                $text .= $piece;

                return strlen($text) > self::MOST_TEXT ? 0 : strlen($piece);
            },
        ]);
        $done = curl_exec($handle);
        $status = curl_getinfo($handle, CURLINFO_RESPONSE_CODE);
        $trouble = curl_error($handle);
        curl_close($handle);
        if (strlen($text) > self::MOST_TEXT) {
            throw Problem::input("$what answers with more than 32 MB of text: ask for less.", $about);
        }
        if ($done === false) {
            throw new Unreachable("$what does not answer ($trouble): check the address, or try again later.", 3, $about);
        }
        if ($status === 429 || $status >= 500) {
            throw new Unreachable("$what answers that it can't just now (status $status): try again later.", 3, $about);
        }
        $json = json_decode($text, true);
        if ($status >= 400) {
            $told = is_array($json) ? ($json['description'] ?? $json['detail'] ?? $json['title'] ?? $json['message'] ?? '') : '';
            throw Problem::input("$what refuses the request (status $status".(is_string($told) && $told !== '' ? ": $told" : '').').', $about);
        }
        if (! is_array($json)) {
            throw Problem::input("$what answers with something that is no JSON: is its address that of $kind?", $about);
        }

        return $json;
    }

    /**
     * The rest of a file, from as many bytes on as $part has already.
     *
     * @param  \Closure(int, int|null): void  $progress  bytes there and bytes in all
     * @return int bytes in all
     *
     * @throws Unreachable where it broke off; what came is kept
     */
    public static function resume(string $url, string $part, string $what, ?int $most, \Closure $progress): int
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
                    $trouble = Problem::input("$what sends more than the ".number_format($most).' bytes that it told.', 'archive');

                    return 0;
                }
                if (@fwrite($file, $piece) !== strlen($piece)) {
                    $trouble = Problem::computation('The disk that holds '.dirname($part).' is full: make room, then run the step again; what was fetched so far is kept.');

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
        curl_close($handle);
        fclose($file);
        if ($trouble instanceof Problem) {
            throw $trouble;
        }
        if ($status === 416) {
            // nothing is left to fetch, or the file is another one now: its checksum tells
            return $have;
        }
        if ($status >= 400 && $status < 500 && $status !== 429) {
            throw Problem::input("$what does not hand the file out (status $status).", 'archive');
        }
        if ($done === false || $status === 429 || $status >= 500 || ($total !== null && $have < $total)) {
            throw new Unreachable($status === 429 || $status >= 500 ? "status $status" : ($error !== '' ? $error : 'it broke off'), 3, 'archive');
        }

        return $total ?? $have;
    }

    private static function handle(string $url, string $what, string $about = 'archive'): \CurlHandle
    {
        if (! preg_match('~^https?://[^\s/]+~i', $url)) {
            throw Problem::call("“{$url}” is no address of $what: it must begin with http:// or https://.", $about);
        }
        $handle = curl_init($url);
        assert($handle !== false);
        curl_setopt_array($handle, [
            CURLOPT_FOLLOWLOCATION => true,
            CURLOPT_MAXREDIRS => 5,
            CURLOPT_PROTOCOLS => CURLPROTO_HTTP | CURLPROTO_HTTPS,
            CURLOPT_REDIR_PROTOCOLS => CURLPROTO_HTTP | CURLPROTO_HTTPS,
            CURLOPT_CONNECTTIMEOUT => 10,
            CURLOPT_USERAGENT => 'Chorometra',
        ]);

        return $handle;
    }
}
