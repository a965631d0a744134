<?php

use App\Auth\Session;
use App\Http\Middleware\ForThisMachine;
use App\Http\Middleware\Gzipped;
use App\Http\Middleware\NoSessionForLooks;
use App\Http\Middleware\OwnPagesOnly;
use App\Http\Middleware\SaysWhereFrom;
use App\Http\Middleware\SignedIn;
use App\Http\Middleware\SoundText;
use App\Http\Middleware\Unwritable;
use App\Http\Outdated;
use App\Http\ProblemResponse;
use Chorometra\Core\Problem;
use Chorometra\Core\Stopped;
use Illuminate\Foundation\Application;
use Illuminate\Foundation\Configuration\Exceptions;
use Illuminate\Foundation\Configuration\Middleware;
use Illuminate\Foundation\Http\Middleware\ValidateCsrfToken;
use Illuminate\Http\Middleware\HandleCors;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Route;

// a form of another page is a POST and stays one
Request::setAllowedHttpMethodOverride([]);

return Application::configure(basePath: dirname(__DIR__))
    ->withRouting(
        web: __DIR__.'/../routes/web.php',
        api: __DIR__.'/../routes/api.php',
        commands: __DIR__.'/../routes/console.php',
        then: fn () => Route::middleware('standin')->group(__DIR__.'/../routes/standin.php'),
    )
    ->withMiddleware(function (Middleware $middleware): void {
        // the application is same-origin: no other page may ask
        $middleware->remove(HandleCors::class);
        $middleware->prepend(OwnPagesOnly::class);
        $middleware->append(SoundText::class);
        // what comes from other pages is refused already (Guard)
        $middleware->web(remove: [ValidateCsrfToken::class]);
        // an id by chance has nothing to hide, and is read before the framework is there
        $middleware->encryptCookies(except: [Session::COOKIE]);
        $middleware->alias(['signed-in' => SignedIn::class]);
        // before ids are looked up: whoever is not signed in is not told which there are
        $middleware->prependToGroup('api', [Gzipped::class, SaysWhereFrom::class, SignedIn::class, Unwritable::class]);
        $middleware->prependToGroup('web', [SaysWhereFrom::class, NoSessionForLooks::class]);
        $middleware->group('standin', [ForThisMachine::class]);
    })
    ->withExceptions(function (Exceptions $exceptions): void {
        $exceptions->dontReport([Problem::class, Stopped::class, Outdated::class]);
        $exceptions->render(fn (Throwable $error, Request $request) => $request->is('api/*') || $error instanceof Problem ? ProblemResponse::from($error) : null);
    })->create();
