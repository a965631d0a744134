<?php

use App\Http\ProblemResponse;
use Chorometra\Core\Problem;
use Illuminate\Foundation\Application;
use Illuminate\Foundation\Configuration\Exceptions;
use Illuminate\Foundation\Configuration\Middleware;
use Illuminate\Http\Middleware\HandleCors;
use Illuminate\Http\Request;

return Application::configure(basePath: dirname(__DIR__))
    ->withRouting(
        web: __DIR__.'/../routes/web.php',
        api: __DIR__.'/../routes/api.php',
        commands: __DIR__.'/../routes/console.php',
        then: fn () => require __DIR__.'/../routes/standin.php',
    )
    ->withMiddleware(function (Middleware $middleware): void {
        // its package is not in the registry (packages/registry-shims); the application is same-origin
        $middleware->remove(HandleCors::class);
    })
    ->withExceptions(function (Exceptions $exceptions): void {
        $exceptions->dontReport(Problem::class);
        $exceptions->render(fn (Throwable $error, Request $request) => $request->is('api/*') ? ProblemResponse::from($error) : null);
    })->create();
