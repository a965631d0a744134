<?php

namespace App\Http\Controllers;

use App\Evidence\AtPegs;
use App\Evidence\Looks;
use App\Http\Describe;
use App\Http\Requests\StepRequest;
use App\Models\Peg;
use App\Models\Step;
use App\Models\Study;
use Chorometra\Core\Problem;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Illuminate\Support\Facades\DB;

final class PegController
{
    public function store(Request $request, Study $study): JsonResponse
    {
        $input = $request->validate([
            'x' => ['required', 'numeric'],
            'y' => ['required', 'numeric'],
            'letter' => ['sometimes', 'string', 'size:1'],
            'name' => ['sometimes', 'nullable', 'string', 'max:60'],
        ]);
        $peg = DB::transaction(function () use ($study, $input): Peg {
            $taken = $study->pegs()->pluck('letter')->all();
            $letter = $input['letter'] ?? null;
            if ($letter === null || in_array($letter, $taken, true)) {
                $free = array_values(array_diff(range('A', 'Z'), $taken));
                $letter = $free[0] ?? throw Problem::call('All 26 letters are taken: remove a peg first.');
            }

            return $study->pegs()->create(['letter' => $letter] + $input);
        });

        return new JsonResponse(Describe::peg($peg), 201);
    }

    /** @return array<string, mixed> */
    public function update(Request $request, Peg $peg): array
    {
        $peg->update(
            $request->validate([
                'x' => ['sometimes', 'numeric'],
                'y' => ['sometimes', 'numeric'],
                'name' => ['sometimes', 'nullable', 'string', 'max:60'],
                'signature' => ['sometimes', 'nullable', 'string', 'max:120'],
            ]),
        );

        return Describe::peg($peg);
    }

    /**
     * What a step would make under each peg.
     *
     * @return array<string, mixed>
     */
    public function computed(Request $request, Study $study): array
    {
        $input = StepRequest::setUp($request);

        $step = new Step(['study_id' => $study->id, 'settings' => $input['settings'] ?? [], 'within' => false] + $input);

        return Looks::at(fn (): array => AtPegs::of($study, $step));
    }

    public function destroy(Peg $peg): Response
    {
        $peg->delete();

        return response()->noContent();
    }
}
