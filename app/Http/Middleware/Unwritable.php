<?php

namespace App\Http\Middleware;

use Chorometra\Core\Problem;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\Response;

/** Where nothing can be written (bin/start says so), what is there is looked at, and nothing is begun that would break off. */
final class Unwritable
{
    public const SENTENCE = 'The data folder is read-only or its disk is full: studies can be viewed, not changed.';

    /** @param  \Closure(Request): Response  $next */
    public function handle(Request $request, \Closure $next): Response
    {
        if (config('chorometra.read_only') && ! $request->isMethodSafe()) {
            throw Problem::computation(self::SENTENCE);
        }

        return $next($request);
    }
}
