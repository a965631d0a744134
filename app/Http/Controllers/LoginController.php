<?php

namespace App\Http\Controllers;

use Illuminate\Contracts\Cache\LockTimeoutException;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Auth;
use Illuminate\Support\Facades\Cache;
use Illuminate\Support\Facades\RateLimiter;
use Illuminate\Validation\ValidationException;

/** Signing in and out, where the application is served to others. */
final class LoginController
{
    /** Tries a minute: from one place, and from all together. */
    private const TRIES = 5;

    private const TRIES_OF_ALL = 30;

    public function show(): View|RedirectResponse
    {
        return config('chorometra.password') === null ? redirect('/') : view('login');
    }

    public function store(Request $request): RedirectResponse
    {
        abort_if(config('chorometra.password') === null, 404);
        try {
            // one after the other: of many at once none gets ahead of the count
            return Cache::lock('login', 30)->block(10, fn (): RedirectResponse => $this->attempt($request));
        } catch (LockTimeoutException) {
            throw ValidationException::withMessages(['password' => 'Too many tries: wait a minute.'])->redirectTo('/login');
        }
    }

    private function attempt(Request $request): RedirectResponse
    {
        $keys = ['login/'.$request->ip() => self::TRIES, 'login' => self::TRIES_OF_ALL];
        foreach ($keys as $key => $most) {
            if (RateLimiter::tooManyAttempts($key, $most)) {
                throw ValidationException::withMessages(['password' => 'Too many tries: wait '.RateLimiter::availableIn($key).' seconds.'])->redirectTo(
                    '/login',
                );
            }
        }
        $password = $request->input('password');
        if (! is_string($password) || ! Auth::attempt(['password' => $password])) {
            array_map(fn (string $key): int => RateLimiter::hit($key), array_keys($keys));
            throw ValidationException::withMessages(['password' => 'Wrong password.'])->redirectTo('/login');
        }
        RateLimiter::clear('login/'.$request->ip());
        $request->session()->regenerate();

        return redirect('/');
    }

    public function destroy(Request $request): RedirectResponse
    {
        Auth::logout();
        $request->session()->invalidate();

        return redirect('/login');
    }
}
