<?php

return [
    'default' => env('CACHE_STORE', 'file'),
    'stores' => [
        // beside the files whose figures it holds: another set of files has other figures
        'file' => ['driver' => 'file', 'path' => env('CHOROMETRA_FILES', storage_path('files')).'/cache'],
        'array' => ['driver' => 'array'],
    ],
    'prefix' => '',
];
