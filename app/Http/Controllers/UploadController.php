<?php

namespace App\Http\Controllers;

use App\Models\Study;
use Chorometra\Core\Format\Files;
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
            $main = $main === null || preg_match('/\.(tiff?|tgz|tar|gz|zip|png|jpe?g)$/i', $name) ? $name : $main;
        }

        return new JsonResponse(['upload' => "$token/$main", 'name' => $main, 'kind' => $this->kind("$folder/$main")], 201);
    }

    /** What the file says it is: the kind of step that takes it in. */
    private function kind(string $path): string
    {
        $head = (string) file_get_contents($path, false, null, 0, 512);
        if (preg_match('/^(II\x2a\0|MM\0\x2a|II\x2b\0|MM\0\x2b|\x89PNG|\xff\xd8\xff)/', $head)) {
            return 'gather.image';
        }
        if (str_starts_with($head, "PK\x03\x04") || str_starts_with($head, "\x1f\x8b") || substr($head, 257, 5) === 'ustar') {
            return 'gather.bundle';
        }
        Files::remove(dirname($path));
        throw Problem::input(basename($path).' is neither a scene bundle (tar, tar.gz, zip) nor an image (GeoTIFF, PNG, JPEG).');
    }
}
