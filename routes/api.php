<?php

use App\Http\Controllers\AgainstController;
use App\Http\Controllers\AirController;
use App\Http\Controllers\ArchiveController;
use App\Http\Controllers\AreaController;
use App\Http\Controllers\ClassMapController;
use App\Http\Controllers\DrawingController;
use App\Http\Controllers\HealthController;
use App\Http\Controllers\ItemController;
use App\Http\Controllers\KeyController;
use App\Http\Controllers\KindController;
use App\Http\Controllers\LabelController;
use App\Http\Controllers\LegendController;
use App\Http\Controllers\MarkController;
use App\Http\Controllers\MatrixController;
use App\Http\Controllers\PegController;
use App\Http\Controllers\RulerController;
use App\Http\Controllers\SignatureController;
use App\Http\Controllers\StepController;
use App\Http\Controllers\StudyController;
use App\Http\Controllers\TileController;
use App\Http\Controllers\TrainingController;
use App\Http\Controllers\TrialController;
use App\Http\Controllers\UploadController;
use App\Http\Controllers\WorkController;
use Illuminate\Support\Facades\Route;

Route::get('health', HealthController::class);
Route::get('kinds', KindController::class);
Route::get('work', WorkController::class);

Route::get('archives', [ArchiveController::class, 'index']);
Route::post('archives', [ArchiveController::class, 'store']);
Route::delete('archives/{archive}', [ArchiveController::class, 'destroy']);
Route::get('archives/thumbnail', [ArchiveController::class, 'thumbnail']);
Route::post('archives/search', [ArchiveController::class, 'search']);

Route::get('studies', [StudyController::class, 'index']);
Route::post('studies', [StudyController::class, 'store']);
Route::get('studies/{study}', [StudyController::class, 'show']);
Route::get('studies/{study}/news', [StudyController::class, 'news']);
Route::patch('studies/{study}', [StudyController::class, 'update']);
Route::delete('studies/{study}', [StudyController::class, 'destroy']);
Route::get('demo', [StudyController::class, 'demo']);
Route::post('demo', [StudyController::class, 'openDemo']);
Route::post('exercises/{exercise}', [StudyController::class, 'beginExercise']);
Route::put('studies/{study}/area', [AreaController::class, 'update']);
Route::delete('studies/{study}/area', [AreaController::class, 'destroy']);
Route::put('studies/{study}/legend', LegendController::class);
Route::post('studies/{study}/refresh', [StudyController::class, 'refresh']);
Route::post('studies/{study}/uploads', UploadController::class);
Route::post('studies/{study}/trials', TrialController::class);
Route::post('studies/{study}/measure', RulerController::class);
Route::post('studies/{study}/at-pegs', [PegController::class, 'computed']);
Route::post('studies/{study}/against', AgainstController::class);

Route::post('studies/{study}/steps', [StepController::class, 'store']);
Route::get('steps/{step}', [StepController::class, 'show']);
Route::patch('steps/{step}', [StepController::class, 'update']);
Route::post('steps/{step}/run', [StepController::class, 'run']);
Route::get('steps/{step}/light', [StepController::class, 'light']);
Route::post('steps/{step}/fit', [StepController::class, 'fit']);
Route::post('steps/{step}/stop', [StepController::class, 'stop']);
Route::delete('steps/{step}', [StepController::class, 'destroy']);

Route::get('items/{item}/tiles/{z}/{x}/{y}', TileController::class)->where(['z' => '\d{1,2}', 'x' => '\d{1,9}', 'y' => '\d{1,9}']);
Route::get('items/{item}/features', [ItemController::class, 'features']);
Route::get('items/{item}/differs/{other}', [ClassMapController::class, 'differs']);
Route::get('items/{item}/held/{drawing}', [ClassMapController::class, 'held']);
Route::get('items/{item}/lowest', [ItemController::class, 'lowest']);
Route::get('items/{item}/rows', [ItemController::class, 'rows']);
Route::get('items/{item}/csv', [ItemController::class, 'csv']);
Route::get('items/{item}/column', [ItemController::class, 'column']);
Route::get('items/{item}/histogram', [ItemController::class, 'histogram']);
Route::get('items/{item}/limits', [ItemController::class, 'limits']);
Route::get('items/{item}/compare/{other}', [ItemController::class, 'compare']);
Route::get('items/{item}/compare/{other}/dates', [ItemController::class, 'dates']);
Route::get('items/{item}/values', [ItemController::class, 'values']);
Route::get('items/{item}/file', [ItemController::class, 'file']);
Route::get('items/{item}/sidecar', [ItemController::class, 'sidecar']);

Route::get('items/{item}/air', [AirController::class, 'show']);
Route::post('items/{item}/spectra', [AirController::class, 'spectra']);
Route::get('signatures', [SignatureController::class, 'index']);
Route::post('signatures', [SignatureController::class, 'store']);
Route::delete('signatures/{library}', [SignatureController::class, 'destroy']);

Route::post('studies/{study}/pegs', [PegController::class, 'store']);
Route::patch('pegs/{peg}', [PegController::class, 'update']);
Route::delete('pegs/{peg}', [PegController::class, 'destroy']);

Route::post('studies/{study}/drawings', [DrawingController::class, 'store']);
Route::get('drawings/{drawing}', [DrawingController::class, 'show']);
Route::patch('drawings/{drawing}', [DrawingController::class, 'update']);
Route::delete('drawings/{drawing}', [DrawingController::class, 'destroy']);
Route::get('drawings/{drawing}/file', [DrawingController::class, 'file']);
Route::get('drawings/{drawing}/agreement', [LabelController::class, 'agreement']);
Route::post('drawings/{drawing}/labels', [LabelController::class, 'take']);
Route::put('drawings/{drawing}/marks', [DrawingController::class, 'marks']);
Route::put('drawings/{drawing}/marks/{key}', [MarkController::class, 'put']);
Route::patch('marks/{mark}', [MarkController::class, 'update']);
Route::delete('marks/{mark}', [MarkController::class, 'destroy']);

Route::post('studies/{study}/training', [TrainingController::class, 'show']);
Route::post('studies/{study}/training/density', [TrainingController::class, 'density']);
Route::post('studies/{study}/training/grow', [TrainingController::class, 'grow']);
Route::post('studies/{study}/training/segment', [TrainingController::class, 'segment']);
Route::post('drawings/{drawing}/from', [DrawingController::class, 'take']);
Route::post('studies/{study}/legend', [LegendController::class, 'meet']);
Route::get('legends', [LegendController::class, 'published']);
Route::post('studies/{study}/keys', [KeyController::class, 'store']);
Route::post('studies/{study}/keys/column', [KeyController::class, 'column']);
Route::post('studies/{study}/keys/look', [KeyController::class, 'look']);
Route::post('studies/{study}/keys/apart', [KeyController::class, 'apart']);
Route::get('keys/{key}', [KeyController::class, 'show']);
Route::put('keys/{key}', [KeyController::class, 'update']);
Route::delete('keys/{key}', [KeyController::class, 'destroy']);
Route::get('keys/{key}/file', [KeyController::class, 'file']);

Route::get('steps/{step}/matrix', MatrixController::class);
