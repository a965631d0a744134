<?php

namespace App\Http\Controllers;

use App\Evidence\KeyOnData;
use App\Evidence\Looks;
use App\Http\Describe;
use App\Http\Outdated;
use App\Http\Requests\StepRequest;
use App\Models\Key;
use App\Models\Study;
use App\Steps\Inputs;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Problem;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Illuminate\Support\Facades\DB;

/** Keys of a study, and what they make of its images while they are being made. */
final class KeyController
{
    private const MOST = 50;

    /** A new key: as it is told, or as a step or a file has it. */
    public function store(Request $request, Study $study): JsonResponse
    {
        $given = $request->validate(['document' => ['required_without:from', 'array'], ...self::fromFile('from')]);
        $document = isset($given['from']) ? Document::read(Inputs::file($study, $given['from'], 'key'), 'key') : self::checked($given['document']);
        $key = DB::transaction(function () use ($study, $document): Key {
            if ($study->keys()->count() >= self::MOST) {
                throw Problem::call('A study takes at most '.self::MOST.' keys: remove one first.');
            }
            $document['name'] = self::name($study, $document['name'] ?? 'Key');

            return $study->keys()->create(['name' => $document['name'], ...self::columns($document)]);
        });

        return new JsonResponse(Describe::key($key), 201);
    }

    /** @return array<string, mixed> */
    public function show(Key $key): array
    {
        return Describe::key($key);
    }

    /** @return array<string, mixed> */
    public function update(Request $request, Key $key): array
    {
        $document = self::checked($request->validate(['document' => ['required', 'array']])['document']);
        DB::transaction(function () use ($request, $key, $document): void {
            $key->refresh();
            Outdated::unless($request, $key->stamp, "The key “{$key->name}”", fn (): array => Describe::key($key));
            $name = $document['name'] ?? $key->name;
            if ($key->study !== null && $key->study->keys()->where('name', $name)->whereKeyNot($key->id)->exists()) {
                throw Problem::call("The name “{$name}” is taken: give the key another name.", 'name');
            }
            $key->update(['name' => $name, ...self::columns($document)]);
        });

        return Describe::key($key);
    }

    public function destroy(Key $key): Response
    {
        foreach ($key->study->steps ?? [] as $step) {
            foreach ($step->inputs as $name => $input) {
                if (($input['key'] ?? null) === $key->id) {
                    throw Problem::call("Step $step->number uses the key “{$key->name}” (input $name): choose another there first.");
                }
            }
        }
        $key->delete();

        return response()->noContent();
    }

    /** The key as a file. */
    public function file(Key $key): Response
    {
        $name = preg_replace('/[^\p{L}\p{N}]+/u', '-', $key->name);
        $flags = JSON_PRETTY_PRINT | JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_PRESERVE_ZERO_FRACTION | JSON_THROW_ON_ERROR;

        return new Response(json_encode($key->document, $flags)."\n", 200, [
            'Content-Type' => 'application/json',
            'Content-Disposition' => "attachment; filename=\"key.json\"; filename*=UTF-8''".rawurlencode("$name.json"),
        ]);
    }

    /** A measure of all segments, or of a sample of pixels, as little-endian doubles. */
    public function column(Request $request, Study $study): Response
    {
        $given = StepRequest::setUp($request, ['measure' => ['required', 'string', 'max:1000']]);

        $measure = $given['measure'];
        $bytes = Looks::at(fn (): string => KeyOnData::with($study, $given, null, fn (KeyOnData $data): string => pack('e*', ...$data->column($measure))));

        return new Response($bytes, 200, ['Content-Type' => 'application/octet-stream']);
    }

    /**
     * Where everything goes under a key that need not be kept, and what its rules change.
     *
     * @return array<string, mixed>
     */
    public function look(Request $request, Study $study): array
    {
        $given = StepRequest::setUp($request, ['document' => ['required', 'array']]);

        $document = self::checked($given['document']);

        return Looks::at(fn (): array => KeyOnData::with($study, $given, $document, fn (KeyOnData $data): array => $data->look()));
    }

    /**
     * Measures by how well they tell two groups of segments apart.
     *
     * @return list<array{measure: string, area: float, limit: float|null}>
     */
    public function apart(Request $request, Study $study): array
    {
        $numbers = ['required', 'array', 'min:1', 'max:5000'];
        $given = StepRequest::setUp($request, ['one' => $numbers, 'one.*' => ['integer'], 'other' => $numbers, 'other.*' => ['integer']]);

        [$one, $other] = [$given['one'], $given['other']];

        return Looks::at(fn (): array => KeyOnData::with($study, $given, null, fn (KeyOnData $data): array => $data->apart($one, $other)));
    }

    /** @return array<string, list<string>> */
    private static function fromFile(string $at): array
    {
        return [$at => ['sometimes', 'array:step,output,upload']] + StepRequest::source("$at.");
    }

    /**
     * @param  array<string, mixed>  $document
     * @return array<string, mixed>
     */
    private static function checked(array $document): array
    {
        return Document::checked(['type' => 'key', 'version' => 1] + $document, 'The key');
    }

    /**
     * @param  array<string, mixed>  $document
     * @return array{document: array<string, mixed>, stamp: int}
     */
    private static function columns(array $document): array
    {
        // as many bits as a number of JSON carries exactly
        return ['document' => $document, 'stamp' => (int) hexdec(substr(hash('xxh3', (string) json_encode($document)), 0, 13))];
    }

    private static function name(Study $study, string $wanted): string
    {
        $taken = $study->keys()->pluck('name')->all();
        for ($name = $wanted, $number = 2; in_array($name, $taken, true); $number++) {
            $name = "$wanted $number";
        }

        return $name;
    }
}
