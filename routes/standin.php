<?php

use App\Standin\AtmosphereController;
use App\Standin\SceneArchiveController;
use Illuminate\Support\Facades\Route;

Route::controller(SceneArchiveController::class)->prefix('standin/archive')->group(function (): void {
    Route::get('/', 'landing');
    Route::get('conformance', 'conformance');
    Route::get('collections', 'collections');
    Route::get('collections/{collection}', 'collection');
    Route::get('collections/{collection}/items', 'items');
    Route::get('collections/{collection}/items/{id}', 'item');
    Route::match(['get', 'post'], 'search', 'search');
    Route::post('orders/{id}', 'order');
    Route::get('thumbnails/{id}.png', 'thumbnail');
    Route::get('assets/{id}/{file}', 'asset');
    Route::put('behaviour', 'behave');
});

Route::controller(AtmosphereController::class)->prefix('standin/atmosphere')->group(function (): void {
    Route::get('/', 'landing');
    Route::get('conformance', 'conformance');
    Route::get('collections', 'collections');
    Route::get('collections/air', 'collection');
    Route::get('collections/air/position', 'position');
});
