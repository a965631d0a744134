<?php

namespace App\Http\Controllers;

use App\Evidence\Looks;
use App\Evidence\TrainingAreas;
use App\Http\Requests\StepRequest;
use App\Models\Study;
use Illuminate\Http\Request;

/** What training areas say while they are drawn, and areas that the images draw by themselves. */
final class TrainingController
{
    private const PLACE = ['place' => ['required', 'array', 'size:2'], 'place.*' => ['numeric']];

    /** @return array<string, mixed> */
    public function show(Request $request, Study $study): array
    {
        $given = StepRequest::setUp($request);

        return Looks::at(fn (): array => TrainingAreas::with($study, $given, true, fn (TrainingAreas $areas): array => $areas->figures()));
    }

    /** @return array<string, mixed> */
    public function density(Request $request, Study $study): array
    {
        $given = StepRequest::setUp($request, ['x' => ['required', 'string', 'max:200'], 'y' => ['required', 'string', 'max:200']]);

        [$x, $y] = [$given['x'], $given['y']];

        return Looks::at(fn (): array => TrainingAreas::with($study, $given, false, fn (TrainingAreas $areas): array => $areas->density($x, $y)));
    }

    /** @return array<string, mixed> */
    public function grow(Request $request, Study $study): array
    {
        $given = StepRequest::setUp($request, self::PLACE);

        $place = array_map(floatval(...), $given['place']);

        return Looks::at(fn (): array => TrainingAreas::with($study, $given, false, fn (TrainingAreas $areas): array => $areas->grown(...$place)));
    }

    /** @return array<string, mixed> */
    public function segment(Request $request, Study $study): array
    {
        $given = StepRequest::setUp($request, self::PLACE);

        $place = array_map(floatval(...), $given['place']);

        return Looks::at(fn (): array => TrainingAreas::with($study, $given, false, fn (TrainingAreas $areas): array => $areas->segment(...$place)));
    }
}
