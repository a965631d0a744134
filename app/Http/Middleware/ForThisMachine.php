<?php

namespace App\Http\Middleware;

use App\Http\Guard;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\Response;

/** Stand-ins speak to programs on this machine only: it stands on their routes, so that no other way of writing a path leads around it. */
final class ForThisMachine
{
    /** @param  \Closure(Request): Response  $next */
    public function handle(Request $request, \Closure $next): Response
    {
        $refusal = Guard::away($request->server->all(), array_values(config()->array('chorometra.hosts')));

        return $refusal === null ? $next($request) : OwnPagesOnly::refused($refusal);
    }
}
