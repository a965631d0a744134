<?php

namespace App\Http\Middleware;

use Chorometra\Core\Problem;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\Response;

/** Every text that comes in is UTF-8: what is stored in another encoding could not be shown any more. */
final class SoundText
{
    /** Bytes of a body of JSON. */
    private const MOST = 16 << 20;

    /** @param  \Closure(Request): Response  $next */
    public function handle(Request $request, \Closure $next): Response
    {
        if ($request->isJson() && (int) $request->headers->get('Content-Length') > self::MOST) {
            throw Problem::call('The body of this request has more than 16 MB: send less at a time.');
        }
        $body = $request->isJson() ? $request->getContent() : '';
        if ($body !== '' && json_decode($body, true) === null && trim($body) !== 'null') {
            throw Problem::call('The body of this request is not JSON in UTF-8.');
        }
        $all = [$request->query->all(), $request->request->all(), $request->isJson() ? $request->json()->all() : []];
        array_walk_recursive($all, function (mixed $value, string|int $name): void {
            if (is_float($value) && ! is_finite($value)) {
                throw Problem::call('A number in this request is out of range.', (string) $name);
            }
            if ((is_string($value) && ! mb_check_encoding($value, 'UTF-8')) || ! mb_check_encoding((string) $name, 'UTF-8')) {
                throw Problem::call(
                    'A text in this request is not UTF-8: send it in that encoding.',
                    mb_check_encoding((string) $name, 'UTF-8') ? (string) $name : null,
                );
            }
        });

        return $next($request);
    }
}
