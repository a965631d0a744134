<?php

/*
 * Runs each kind and the heavier work of the core beside numpy, scipy and tifffile doing the same on the same data in the same run,
 * checks that the results agree, and prints one table. Called by bin/benchmark.
 */

require __DIR__.'/../vendor/autoload.php';

use Chorometra\Benchmarks\Bench;

$options = getopt('', ['size:', 'runs:', 'only:', 'json']);
$bench = new Bench(
    (int) ($options['size'] ?? 4096),
    max(1, (int) ($options['runs'] ?? 3)),
    is_string($options['only'] ?? null) ? explode(',', $options['only']) : [],
);
$rows = $bench->run();
echo isset($options['json']) ? json_encode($rows, JSON_PRETTY_PRINT | JSON_UNESCAPED_UNICODE)."\n" : Bench::table($rows);
exit(array_filter($rows, fn (array $row): bool => $row['agrees'] === false) === [] ? 0 : 1);
