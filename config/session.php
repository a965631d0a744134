<?php

use App\Auth\Session;

return [
    // sessions are only for signing in: without a password there are none
    'driver' => env('CHOROMETRA_PASSWORD_HASH') === null ? 'array' : 'file',
    'files' => env('CHOROMETRA_FILES', storage_path('files')).'/sessions',
    'serialization' => 'json',
    'lifetime' => 720,
    'expire_on_close' => false,
    'lottery' => [2, 100],
    'cookie' => Session::COOKIE,
    'path' => '/',
    'http_only' => true,
    'same_site' => 'strict',
];
