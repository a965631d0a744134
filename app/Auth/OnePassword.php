<?php

namespace App\Auth;

use Illuminate\Auth\GenericUser;
use Illuminate\Contracts\Auth\Authenticatable;
use Illuminate\Contracts\Auth\UserProvider;

/** The one user that there is where the application is served to others: whoever knows the password. */
final class OnePassword implements UserProvider
{
    public function __construct(private readonly string $hash) {}

    /** With another password it is another user: sessions of the old one end. */
    public static function id(string $hash): string
    {
        return substr(hash('sha256', $hash), 0, 16);
    }

    public function retrieveById($identifier): ?Authenticatable
    {
        return $identifier === self::id($this->hash) ? $this->user() : null;
    }

    public function retrieveByToken($identifier, #[\SensitiveParameter] $token): null
    {
        return null;
    }

    public function updateRememberToken(Authenticatable $user, #[\SensitiveParameter] $token): void {}

    /** @param  array<string, mixed>  $credentials */
    public function retrieveByCredentials(#[\SensitiveParameter] array $credentials): Authenticatable
    {
        return $this->user();
    }

    /** @param  array<string, mixed>  $credentials */
    public function validateCredentials(Authenticatable $user, #[\SensitiveParameter] array $credentials): bool
    {
        return is_string($credentials['password'] ?? null) && password_verify($credentials['password'], $this->hash);
    }

    /** @param  array<string, mixed>  $credentials */
    public function rehashPasswordIfRequired(Authenticatable $user, #[\SensitiveParameter] array $credentials, bool $force = false): void {}

    private function user(): GenericUser
    {
        return new GenericUser(['id' => self::id($this->hash), 'password' => $this->hash, 'remember_token' => '']);
    }
}
