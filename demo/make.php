<?php

require __DIR__.'/../vendor/autoload.php';

foreach (Chorometra\Demo\Simulator::make($argv[1] ?? __DIR__.'/../storage/demo') as $bundle) {
    echo "$bundle\n";
}
