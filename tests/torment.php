<?php

/*
 * Called by bin/torment: [--kills N] [--seed S] [--size N]
 */

require __DIR__.'/../vendor/autoload.php';

use Tests\Torment;

$options = getopt('', ['kills:', 'seed:', 'size:']);
$kills = (int) ($options['kills'] ?? 100);
$wrong = (new Torment((int) ($options['seed'] ?? random_int(0, 1 << 30)), (int) ($options['size'] ?? 1024)))->run($kills, fn (string $line) => print "$line\n");
array_map(fn (string $line) => print "$line\n", $wrong);
printf("%d kills, %d wrong\n", $kills, count($wrong));
exit($wrong === [] ? 0 : 1);
