<?php

// php examples/score.php accuracy MAP TRUTH "class=cover,cover" … : share of the map that is right; what no class names is of the last.
// php examples/score.php loss MAP CLASS BEFORE AFTER AREA: what map and truth have in common where green was lost, and how far borders lie apart.
// Both print JSON.

require __DIR__.'/../vendor/autoload.php';

use Chorometra\Demo\Stories;

$given = array_slice($argv, 1);
if (array_shift($given) === 'loss') {
    echo json_encode(Stories::loss(...$given)), "\n";
} else {
    [$map, $truth] = array_splice($given, 0, 2);
    $groups = [];
    foreach ($given as $group) {
        [$class, $covers] = explode('=', $group, 2) + [1 => ''];
        $groups[$class] = explode(',', $covers);
    }
    echo json_encode(['accuracy' => Stories::accuracy($map, $truth, $groups)]), "\n";
}
