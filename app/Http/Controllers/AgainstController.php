<?php

namespace App\Http\Controllers;

use App\Evidence\Prechecks;
use App\Http\Requests\StepRequest;
use App\Models\Step;
use App\Models\Study;
use Illuminate\Http\Request;

/** What stands against a step as it is set up, before it runs. */
final class AgainstController
{
    /** @return list<array{about: string, text: string}> */
    public function __invoke(Request $request, Study $study): array
    {
        $input = StepRequest::setUp($request);

        return Prechecks::of($study, new Step(['study_id' => $study->id, 'settings' => $input['settings'] ?? [], 'within' => false] + $input));
    }
}
