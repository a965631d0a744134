<?php

// php examples/score.php accuracy MAP TRUTH "class=cover,cover" … : share of the map that is right; what no class names is of the last.
// php examples/score.php classes MAP TRUTH …: of each class the smaller of what was found of it and what is right of it.
// php examples/score.php loss MAP CLASS BEFORE AFTER AREA: what map and truth have in common where green was lost, and how far borders lie apart.
// Both print JSON.

require __DIR__.'/../vendor/autoload.php';

use Chorometra\Demo\Stories;

$given = array_slice($argv, 1);
$what = array_shift($given);
if ($what === 'loss') {
    echo json_encode(Stories::loss(...$given)), "\n";
} else {
    [$map, $truth] = array_splice($given, 0, 2);
    $groups = [];
    foreach ($given as $group) {
        [$class, $covers] = explode('=', $group, 2) + [1 => ''];
        $groups[$class] = explode(',', $covers);
    }
    echo json_encode($what === 'classes' ? Stories::classes($map, $truth, $groups) : ['accuracy' => Stories::accuracy($map, $truth, $groups)]), "\n";
}
