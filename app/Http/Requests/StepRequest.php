<?php

namespace App\Http\Requests;

use Illuminate\Foundation\Http\FormRequest;

/** The outer shape of a step; its kind's declaration checks the rest. */
final class StepRequest extends FormRequest
{
    /** @return array<string, list<string>> */
    public function rules(): array
    {
        return [
            'kind' => [$this->isMethod('POST') ? 'required' : 'prohibited', 'string', 'max:64'],
            'inputs' => ['sometimes', 'array', 'max:64'],
            'inputs.*' => ['array:step,output,upload,demo,drawing,key'],
            'inputs.*.key' => ['sometimes', 'integer'],
            'inputs.*.step' => ['sometimes', 'integer'],
            'inputs.*.output' => ['sometimes', 'string', 'max:64'],
            'inputs.*.upload' => ['sometimes', 'string', 'max:300'],
            'inputs.*.demo' => ['sometimes', 'string', 'max:100'],
            'inputs.*.drawing' => ['sometimes', 'integer'],
            'within' => ['sometimes', 'boolean'],
            'settings' => ['sometimes', 'array', 'max:64'],
            'note' => ['sometimes', 'nullable', 'string', 'max:4000'],
            'run' => ['sometimes', 'boolean'],
        ];
    }
}
