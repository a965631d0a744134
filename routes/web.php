<?php

use App\Http\Controllers\LoginController;
use Illuminate\Support\Facades\Route;

Route::get('login', [LoginController::class, 'show']);
Route::post('login', [LoginController::class, 'store']);
Route::post('logout', [LoginController::class, 'destroy']);
Route::view('/{any?}', 'app')->where('any', '^(?!api/|build/|standin/).*')->withoutMiddleware('web')->middleware('signed-in');
