<?php

namespace App\Auth;

/**
 * Whether a request comes from someone who is signed in, by the session file that Laravel's login wrote. Read without the framework, and
 * never written here: many answers at once can't bring a session back that a logout has ended.
 */
final class Session
{
    public const COOKIE = 'chorometra';

    /** Seconds that a session holds without a sign of life. */
    private const SECONDS = 12 * 3600;

    /**
     * @param  string|null  $password  hash of the password; without one everybody is in
     * @param  array<mixed>  $cookies
     */
    public static function isIn(?string $password, array $cookies, string $folder): bool
    {
        if ($password === null) {
            return true;
        }
        $id = $cookies[self::COOKIE] ?? null;
        if (! is_string($id) || ! preg_match('/^[A-Za-z0-9]{40}$/', $id)) {
            return false;
        }
        $file = "$folder/$id";
        $at = @filemtime($file);
        $session = $at === false || $at < time() - self::SECONDS ? null : json_decode((string) @file_get_contents($file), true);
        if (! is_array($session) || ($session[self::key()] ?? null) !== OnePassword::id($password)) {
            return false;
        }
        if ($at < time() - 300) {
            @touch($file);
        }

        return true;
    }

    /** Where Laravel's guard keeps who is signed in. */
    private static function key(): string
    {
        return 'login_web_'.sha1('Illuminate\Auth\SessionGuard');
    }
}
