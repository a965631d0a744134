<?php

use App\Http\Guard;

return [
    // names with ports under which the application is reached; others are refused
    'hosts' => Guard::hosts((string) env('CHOROMETRA_HOSTS', ''), (string) env('APP_URL', 'http://127.0.0.1:8420')),
    // hash of the password; without one the application is for this machine only
    'password' => env('CHOROMETRA_PASSWORD_HASH'),
    // hosts in private networks that archives and services may have, where the application is served to others
    'private_hosts' => array_filter(explode(',', (string) env('CHOROMETRA_PRIVATE_HOSTS', ''))),
    // nothing can be written: what is there is looked at
    'read_only' => (bool) env('CHOROMETRA_READ_ONLY', false),
    // where studies, uploads and results lie
    'files' => env('CHOROMETRA_FILES', storage_path('files')),
    'demo' => env('CHOROMETRA_DEMO', storage_path('demo')),
    // processes that compute a step; all results are the same whatever the number
    'workers' => (int) env('CHOROMETRA_WORKERS', 2),
    // pixels a trial may take
    'trial_pixels' => 1_200_000,
    // asked for the air over a scene: stand-in, or the address of a collection of OGC API – EDR
    'atmosphere' => env('CHOROMETRA_ATMOSPHERE', 'stand-in'),
];
