<?php

namespace App\Http\Middleware;

use App\Auth\Session;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\Response;

/** Whoever only looks at the page where the password is asked for needs no session on the disk. */
final class NoSessionForLooks
{
    /** @param  \Closure(Request): Response  $next */
    public function handle(Request $request, \Closure $next): Response
    {
        $driver = config('session.driver');
        if ($request->isMethodSafe() && ! $request->cookies->has(Session::COOKIE)) {
            config(['session.driver' => 'array']);
        }
        try {
            return $next($request);
        } finally {
            config(['session.driver' => $driver]);
        }
    }
}
