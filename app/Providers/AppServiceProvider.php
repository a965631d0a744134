<?php

namespace App\Providers;

use App\Auth\OnePassword;
use App\Database\ImmediateConnector;
use App\Steps\Interrupted;
use App\Steps\StepQueue;
use App\System\Jit;
use Chorometra\Core\Format\Web\HostPolicy;
use Chorometra\Core\Work\Files;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Http\Resources\Json\JsonResource;
use Illuminate\Queue\Events\WorkerStarting;
use Illuminate\Support\Facades\Auth;
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
        Auth::provider('one-password', fn (): OnePassword => new OnePassword(config()->string('chorometra.password')));
        if (config('chorometra.password') !== null) {
            Files::folder(config()->string('session.files'));
            // stand-ins are asked by this machine itself
            HostPolicy::limit([
                (string) preg_replace('~^https?://|/.*$~', '', config()->string('app.url')),
                ...array_values(config()->array('chorometra.private_hosts')),
            ]);
        }
        Event::listen(WorkerStarting::class, function (WorkerStarting $worker): void {
            Jit::announceWorker($worker->queue);
            Interrupted::mark();
            Interrupted::sweep();
            StepQueue::putBack($worker->queue);
        });
    }
}
