<?php

namespace App\Providers;

use App\Database\ImmediateConnector;
use App\Support\Interrupted;
use App\Support\Jit;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Http\Resources\Json\JsonResource;
use Illuminate\Queue\Events\WorkerStarting;
use Illuminate\Support\Facades\Event;
use Illuminate\Support\ServiceProvider;

class AppServiceProvider extends ServiceProvider
{
    public function register(): void
    {
        $this->app->bind('db.connector.sqlite', ImmediateConnector::class);
    }

    public function boot(): void
    {
        Model::unguard();
        JsonResource::withoutWrapping();
        Event::listen(WorkerStarting::class, function (): void {
            Jit::announceWorker();
            Interrupted::mark();
        });
    }
}
