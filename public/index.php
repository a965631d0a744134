<?php

use App\Tiles\Door;
use Illuminate\Http\Request;

define('LARAVEL_START', microtime(true));

require __DIR__.'/../vendor/autoload.php';

if (Door::answers($_SERVER, dirname(__DIR__).'/storage')) {
    return;
}

$app = require_once __DIR__.'/../bootstrap/app.php';

$app->handleRequest(Request::capture());
