<?php

namespace App\Http\Middleware;

use App\Auth\Session;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\Response;

/** Where a password is set, only those who gave it go on; pages lead to where it is asked for. */
final class SignedIn
{
    /** @param  \Closure(Request): Response  $next */
    public function handle(Request $request, \Closure $next): Response
    {
        $password = config('chorometra.password');
        if (Session::isIn(is_string($password) ? $password : null, $request->cookies->all(), config()->string('session.files'))) {
            return $next($request);
        }

        return $request->is('api/*')
            ? new JsonResponse(['type' => 'about:blank', 'title' => 'You are not signed in: sign in and try again.', 'status' => 401], 401, [
                'Content-Type' => 'application/problem+json',
            ])
            : redirect('/login');
    }
}
