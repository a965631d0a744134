<?php

namespace App\Http\Middleware;

use App\Http\Guard;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\Response;

/** Refuses what comes from elsewhere, and tells browsers what pages of this application may do. */
final class OwnPagesOnly
{
    /** @param  \Closure(Request): Response  $next */
    public function handle(Request $request, \Closure $next): Response
    {
        $refusal = Guard::refusal($request->server->all(), array_values(config()->array('chorometra.hosts')));
        $response = $refusal === null ? $next($request) : self::refused($refusal);
        $response->headers->add(Guard::HEADERS);

        return $response;
    }

    /** @param  array{int, string}  $refusal  status and one sentence */
    public static function refused(array $refusal): JsonResponse
    {
        return new JsonResponse(['type' => 'about:blank', 'title' => $refusal[1], 'status' => $refusal[0]], $refusal[0], [
            'Content-Type' => 'application/problem+json',
        ]);
    }
}
