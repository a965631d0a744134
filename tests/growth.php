<?php

/*
 * Called by bin/torment growth: [--requests N]
 */

require __DIR__.'/../vendor/autoload.php';

use Tests\Growth;

$options = getopt('', ['requests:']);
(new Growth)->run((int) ($options['requests'] ?? 100_000), fn (string $line) => print "$line\n");
