<?php

namespace App\Http\Middleware;

use App\Http\Guard;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\Response;

/** What changes something has a sign of coming from one of our own pages; stand-ins, which speak to programs, do without. */
final class SaysWhereFrom
{
    /** @param  \Closure(Request): Response  $next */
    public function handle(Request $request, \Closure $next): Response
    {
        $refusal = Guard::unsaid($request->server->all());

        return $refusal === null ? $next($request) : OwnPagesOnly::refused($refusal);
    }
}
