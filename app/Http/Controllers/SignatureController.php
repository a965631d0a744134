<?php

namespace App\Http\Controllers;

use App\Evidence\SignatureLibrary;
use Chorometra\Core\Correct\Air\SpectralLibrary;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Illuminate\Http\UploadedFile;

final class SignatureController
{
    /** @return list<array{library: string, added: bool, wavelengths: list<float>, covers: list<array{name: string, values: list<float|null>}>}> */
    public function index(): array
    {
        $libraries = SignatureLibrary::all();

        return array_map(
            fn (string $name, SpectralLibrary $one): array => [
                'library' => $name,
                'added' => $name !== SignatureLibrary::SHIPPED,
                'wavelengths' => $one->wavelengths,
                'covers' => array_map(
                    fn (string $cover, array $values): array => ['name' => $cover, 'values' => $values],
                    array_map(strval(...), array_keys($one->covers)),
                    array_values($one->covers),
                ),
            ],
            array_keys($libraries),
            array_values($libraries),
        );
    }

    public function store(Request $request): JsonResponse
    {
        $file = $request->file('file');
        if (! $file instanceof UploadedFile || ! $file->isValid()) {
            throw Problem::input('The upload is incomplete: choose the file again.', 'signatures');
        }
        $path = $file->getPathname();
        // messages name the file as its owner does
        $name = Files::name($file->getClientOriginalName(), 'signatures.csv');
        $folder = sys_get_temp_dir().'/'.bin2hex(random_bytes(6));
        try {
            Files::folder($folder);
            copy($path, "$folder/$name");
            SignatureLibrary::add("$folder/$name", $name);
        } finally {
            Files::remove($folder);
        }

        return new JsonResponse($this->index(), 201);
    }

    public function destroy(string $library): Response
    {
        SignatureLibrary::remove($library);

        return response()->noContent();
    }
}
