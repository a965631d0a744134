<?php

// php demo/score.php: what the corrections do to the demo's scenes, against their truth.

require __DIR__.'/../vendor/autoload.php';

$folder = sys_get_temp_dir().'/chorometra-score-'.getmypid();
$demo = __DIR__.'/../storage/demo';
if (! is_file(Chorometra\Demo\Simulator::bundle($demo, 'orvane-2033'))) {
    Chorometra\Demo\Simulator::make($demo);
}
Chorometra\Core\Work\Files::folder($folder);
try {
    printf(
        "| %-22s | %-40s | %9s | %9s |\n|%s|%s|%s:|%s:|\n",
        'correction',
        'measure',
        'before',
        'after',
        str_repeat('-', 24),
        str_repeat('-', 42),
        str_repeat('-', 10),
        str_repeat('-', 10),
    );
    foreach ((new Chorometra\Demo\Score($demo, $folder))->table() as $row) {
        printf("| %-22s | %-40s | %9.4f | %9.4f |\n", ...array_values($row));
    }
} finally {
    Chorometra\Core\Work\Files::remove($folder);
}
