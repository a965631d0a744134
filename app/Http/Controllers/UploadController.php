<?php

namespace App\Http\Controllers;

use App\Models\Study;
use Chorometra\Core\Format\Files;
use Chorometra\Core\Format\Identity;
use Chorometra\Core\Problem;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\UploadedFile;

/** Files chosen by a person: one that is taken in, and what stands beside it, such as a world file. */
final class UploadController
{
    public function __invoke(Request $request, Study $study): JsonResponse
    {
        $files = array_values(array_filter((array) $request->file('files', []), fn (mixed $file): bool => $file instanceof UploadedFile));
        if ($files === []) {
            throw Problem::input('No file arrived: it may be larger than the server takes ('.ini_get('upload_max_filesize').').');
        }
        $token = bin2hex(random_bytes(8));
        $folder = $study->folder()."/uploads/$token";
        Files::folder($folder);
        $main = null;
        foreach ($files as $file) {
            if (! $file->isValid()) {
                throw Problem::input("{$file->getClientOriginalName()} did not arrive whole: choose it again.");
            }
            $name = preg_replace('/[^\pL\pN._-]+/u', '-', basename($file->getClientOriginalName())) ?: 'file';
            $file->move($folder, $name);
            $main = $main === null || preg_match('/\.(tiff?|tgz|tar|gz|zip|png|jpe?g|shp|gpkg|geojson)$/i', $name) ? $name : $main;
        }

        try {
            $identity = Identity::of("$folder/$main");
        } catch (Problem $problem) {
            Files::remove($folder);
            throw $problem;
        }

        return new JsonResponse(['upload' => "$token/$main", 'name' => $main, 'kind' => $identity->kind, 'what' => $identity->what, 'facts' => (object) $identity->facts, 'lacks' => $identity->lacks], 201);
    }
}
