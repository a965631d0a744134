<?php

use App\Steps\Interrupted;
use App\Steps\StepQueue;
use App\Studies\DemoStudy;
use App\System\Jit;
use Chorometra\Core\Format\Deflate;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\Cache;

Artisan::command('chorometra:demo', function (): void {
    DemoStudy::prepare();
})->purpose('Make the demo data and the study that holds the first bundle');

Artisan::command('chorometra:recover', function (): void {
    Interrupted::mark();
    Interrupted::sweep();
    StepQueue::restore();
    // what earlier releases kept of items, whether they are there or not
    Cache::flush();
})->purpose('Before any worker runs: mark steps whose worker is gone, remove what it left behind, and queue what was waiting');

Artisan::command('chorometra:jit', function (): int {
    $problem = Jit::problem();
    echo $problem ?? 'The JIT runs in the mode that computes right ('.Jit::MODE.').', "\n";
    echo Deflate::isFast() ? '' : "The system's libdeflate or ISA-L (libisal2) is not there: packing and unpacking files takes twice as long and more.\n";

    return $problem === null ? 0 : 1;
})->purpose('Check that PHP runs in the mode that computes right');
