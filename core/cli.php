<?php

require __DIR__.'/../vendor/autoload.php';

exit(Chorometra\Core\Cli\Command::main(array_slice($argv, 1)));
