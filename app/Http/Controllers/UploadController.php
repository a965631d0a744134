<?php

namespace App\Http\Controllers;

use App\Models\Study;
use Chorometra\Core\Gather\Intake\FileProbe;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Workers;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\UploadedFile;

/** Files chosen by a person: one that is taken in, and what stands beside it, such as a world file. */
final class UploadController
{
    private const SECONDS = 60.0;

    public function __invoke(Request $request, Study $study): JsonResponse
    {
        $files = array_values(array_filter((array) $request->file('files', []), fn (mixed $file): bool => $file instanceof UploadedFile));
        if ($files === []) {
            throw Problem::input('No file arrived: it may exceed the upload limit ('.ini_get('upload_max_filesize').').');
        }
        $sent = $request->integer('count', count($files));
        if ($sent > count($files)) {
            throw Problem::input(sprintf('Of %d files %d arrived: send at most %s at a time.', $sent, count($files), ini_get('max_file_uploads')));
        }
        $token = bin2hex(random_bytes(8));
        $folder = $study->folder()."/uploads/$token";
        try {
            Files::folder($folder);
            $main = $this->taken($files, $folder);
            // in a child: whatever a file makes of its reader, this request goes on
            $identity = self::bounded(fn (): FileProbe => FileProbe::of("$folder/$main"), $main);
        } catch (\Throwable $problem) {
            // what can't be read, for whatever reason, is not kept
            Files::remove($folder);
            throw $problem;
        }

        return new JsonResponse(
            [
                'upload' => "$token/$main",
                'name' => $main,
                'kind' => $identity->kind,
                'what' => $identity->what,
                'facts' => (object) $identity->facts,
                'lacks' => $identity->lacks,
            ],
            201,
        );
    }

    /**
     * @param  \Closure(): FileProbe  $read
     *
     * @throws Problem where it takes too long, or more memory than there is
     */
    private static function bounded(\Closure $read, string $name): FileProbe
    {
        $silent = "$name takes more than ".(int) self::SECONDS.' seconds to check: split it.';

        return Workers::answer($read, self::SECONDS, $silent);
    }

    /**
     * @param  list<UploadedFile>  $files
     * @return string the one that is taken in; others stand beside it
     */
    private function taken(array $files, string $folder): string
    {
        $main = null;
        foreach ($files as $file) {
            $name = Files::name($file->getClientOriginalName(), 'file');
            if (! $file->isValid()) {
                throw Problem::input("The upload of $name is incomplete: choose it again.");
            }
            if (! @rename($file->getPathname(), "$folder/$name") && ! @copy($file->getPathname(), "$folder/$name")) {
                throw Problem::computation("$name can't be saved: is the disk full?");
            }
            $main = $main === null || preg_match('/\.(tiff?|tgz|tar|gz|zip|png|jpe?g|shp|gpkg|geojson)$/i', $name) ? $name : $main;
        }

        return $main ?? 'file';
    }
}
