<?php

/*
 * Many readers of tiles at once, idle and while steps run: bin/benchmark readers [--readers 50] [--seconds 10] [--size 4096] [--draggers 20] [--json]
 */

require __DIR__.'/../vendor/autoload.php';

use Chorometra\Benchmarks\Bench;
use Chorometra\Benchmarks\Readers;

$options = getopt('', ['readers:', 'seconds:', 'size:', 'draggers:', 'json']);
$rows = (new Readers(
    (int) ($options['readers'] ?? 50),
    (float) ($options['seconds'] ?? 10),
    (int) ($options['size'] ?? 4096),
    (int) ($options['draggers'] ?? 20),
))->run();
echo isset($options['json']) ? json_encode($rows, JSON_PRETTY_PRINT | JSON_UNESCAPED_UNICODE)."\n" : Bench::plain($rows);
