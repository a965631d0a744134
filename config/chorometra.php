<?php

return [
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
