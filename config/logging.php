<?php

use Monolog\Handler\NullHandler;

return [
    'default' => env('CHOROMETRA_READ_ONLY') ? 'none' : 'single',
    'channels' => [
        // one file a day, of which a fortnight is kept
        'single' => ['driver' => 'daily', 'path' => storage_path('logs/chorometra.log'), 'level' => 'warning', 'days' => 14],
        'none' => ['driver' => 'monolog', 'handler' => NullHandler::class],
    ],
];
