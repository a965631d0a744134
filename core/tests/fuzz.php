<?php

/*
 * Called by bin/fuzz: FAMILY (or all) [--seconds N | --cases N] [--seed S], or FAMILY --again FOLDER.
 */

require __DIR__.'/../../vendor/autoload.php';

use Chorometra\Core\Tests\Fuzz\Families;
use Chorometra\Core\Tests\Fuzz\Fuzz;
use Chorometra\Core\Work\Files;
use Tests\ApiFuzz;

$words = array_slice($argv, 1);
$family = array_shift($words) ?? '';
$options = [];
while ($words !== []) {
    $options[ltrim((string) array_shift($words), '-')] = (string) array_shift($words);
}
$known = [...Families::NAMES, 'api'];
$families = $family === 'all' ? $known : [$family];
if (array_diff($families, $known) !== [] || array_diff(array_keys($options), ['seconds', 'cases', 'seed', 'again']) !== []) {
    fwrite(STDERR, 'bin/fuzz FAMILY [--seconds N | --cases N] [--seed S], or FAMILY --again FOLDER; families: all, '.implode(', ', $known)."\n");
    exit(2);
}
$folder = sys_get_temp_dir().'/chorometra-fuzz-'.getmypid();
$fuzz = new Fuzz($folder, getcwd().'/storage/fuzz');
$failed = 0;
try {
    foreach ($families as $one) {
        if (isset($options['again'])) {
            $trouble = $fuzz->again($one, $options['again']);
            echo $trouble ?? 'It is read, or refused with one sentence.', "\n";
            $failed += $trouble === null ? 0 : 1;

            continue;
        }
        $until = microtime(true) + (float) ($options['seconds'] ?? 60) / count($families);
        $most = isset($options['cases']) ? (int) $options['cases'] : null;
        $seed = (int) ($options['seed'] ?? random_int(0, 1 << 30));
        $more = fn (int $done): bool => $most === null ? microtime(true) < $until : $done < $most;
        ['cases' => $cases, 'failures' => $failures] = $one === 'api' ? (new ApiFuzz($seed))->run($more) : $fuzz->run($one, $seed, $more);
        printf("%-12s %7d cases, %d failed\n", $one, $cases, count($failures));
        array_map(fn (string $failure) => print("  $failure\n"), $failures);
        $failed += count($failures);
    }
} finally {
    Files::remove($folder);
}
exit($failed === 0 ? 0 : 1);
