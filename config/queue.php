<?php

return [
    'default' => env('QUEUE_CONNECTION', 'database'),
    'connections' => [
        'sync' => ['driver' => 'sync'],
        // a step may take hours; whether its worker still lives is seen by its process, not by the clock
        'database' => ['driver' => 'database', 'connection' => null, 'table' => 'jobs', 'queue' => 'short', 'retry_after' => 864000, 'after_commit' => true],
    ],
    'failed' => ['driver' => 'null'],
];
