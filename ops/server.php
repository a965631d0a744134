<?php

// Router of PHP's own web server: files of public/ with what browsers are to be told of them, everything else to the application.
$path = urldecode(parse_url($_SERVER['REQUEST_URI'], PHP_URL_PATH) ?: '/');
$file = realpath(__DIR__.'/../public'.str_replace("\0", '', $path));
$types = [
    'js' => 'text/javascript',
    'css' => 'text/css',
    'woff2' => 'font/woff2',
    'woff' => 'font/woff',
    'svg' => 'image/svg+xml',
    'json' => 'application/json',
];
$type = $types[pathinfo($path, PATHINFO_EXTENSION)] ?? null;
if ($type !== null && $file !== false && is_file($file) && str_starts_with($file, realpath(__DIR__.'/../public').'/')) {
    header("Content-Type: $type");
    header('X-Content-Type-Options: nosniff');
    header('Content-Length: '.filesize($file));
    // names of built files hold what is in them
    header('Cache-Control: '.(str_starts_with($path, '/build/assets/') ? 'public, max-age=31536000, immutable' : 'no-cache'));
    readfile($file);

    return;
}
$_SERVER['SCRIPT_NAME'] = '/index.php';
$_SERVER['SCRIPT_FILENAME'] = __DIR__.'/../public/index.php';

require __DIR__.'/../public/index.php';
