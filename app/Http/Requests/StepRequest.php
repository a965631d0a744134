<?php

namespace App\Http\Requests;

use Illuminate\Foundation\Http\FormRequest;
use Illuminate\Http\Request;

/** The outer shape of a step; its kind's declaration checks the rest. */
final class StepRequest extends FormRequest
{
    /**
     * What a desk tells of a step that is only set up, to see what it would do.
     *
     * @param  array<string, list<string>>  $more
     * @return array<string, mixed>
     */
    public static function setUp(Request $request, array $more = []): array
    {
        return $request->validate([
            'kind' => ['required', 'string'],
            'inputs' => ['required', 'array', 'max:64'],
            ...self::source('inputs.*.'),
            'settings' => ['sometimes', 'array', 'max:64'],
        ] + $more);
    }

    /**
     * What an input points to.
     *
     * @param  string  $at  where it stands, with a dot at the end
     * @return array<string, list<string>>
     */
    public static function source(string $at): array
    {
        return [
            rtrim($at, '.') => ['array:step,output,upload,demo,drawing,key'],
            "{$at}key" => ['sometimes', 'integer'],
            "{$at}step" => ['sometimes', 'integer'],
            "{$at}output" => ['sometimes', 'string', 'max:64'],
            "{$at}upload" => ['sometimes', 'string', 'max:300'],
            "{$at}demo" => ['sometimes', 'string', 'max:100'],
            "{$at}drawing" => ['sometimes', 'integer'],
        ];
    }

    /** @return array<string, list<string>> */
    public function rules(): array
    {
        return [
            'kind' => [$this->isMethod('POST') ? 'required' : 'prohibited', 'string', 'max:64'],
            'inputs' => ['sometimes', 'array', 'max:64'],
            ...self::source('inputs.*.'),
            'within' => ['sometimes', 'boolean'],
            'settings' => ['sometimes', 'array', 'max:64'],
            'note' => ['sometimes', 'nullable', 'string', 'max:4000'],
            'run' => ['sometimes', 'boolean'],
        ];
    }
}
