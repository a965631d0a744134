<?php

use App\Evidence\Looks;
use App\Tiles\Door;
use Illuminate\Http\Request;

define('LARAVEL_START', microtime(true));

require __DIR__.'/../vendor/autoload.php';

if (Door::answers($_SERVER, dirname(__DIR__).'/storage')) {
    return;
}

if (! Looks::enter($_SERVER, getenv('CHOROMETRA_FILES') ?: dirname(__DIR__).'/storage/files')) {
    Looks::refuse();

    return;
}

$app = require_once __DIR__.'/../bootstrap/app.php';

$app->handleRequest(Request::capture());

Looks::leave();
