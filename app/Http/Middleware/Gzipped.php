<?php

namespace App\Http\Middleware;

use Chorometra\Core\Format\Deflate;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\AcceptHeader;
use Symfony\Component\HttpFoundation\Response;

/** Long texts are packed for whoever understands gzip. Tiles are packed already, files go as they are. */
final class Gzipped
{
    private const LEAST = 2048;

    /** @param  \Closure(Request): Response  $next */
    public function handle(Request $request, \Closure $next): Response
    {
        $response = $next($request);
        $text = str_contains((string) $response->headers->get('Content-Type'), 'json') ? $response->getContent() : false;
        if ($text === false || strlen($text) < self::LEAST || $response->headers->has('Content-Encoding') || ! self::isUnderstood($request)) {
            return $response;
        }
        $response->setContent(Deflate::gzip($text));
        $response->headers->set('Content-Encoding', 'gzip');
        $response->headers->set('Content-Length', (string) strlen((string) $response->getContent()));
        $response->setVary('Accept-Encoding', false);

        return $response;
    }

    private static function isUnderstood(Request $request): bool
    {
        return (AcceptHeader::fromString($request->headers->get('Accept-Encoding'))->get('gzip')?->getQuality() ?? 0.0) > 0;
    }
}
