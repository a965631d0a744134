<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;

final class Zip extends PackedFiles
{
    public function entries(?callable $each = null): array
    {
        $zip = $this->zip();
        $entries = [];
        $unpacked = 0;
        for ($i = 0; $i < $zip->numFiles; $i++) {
            $stat = $zip->statIndex($i);
            if ($stat === false) {
                throw $this->broken();
            }
            $this->check($stat['name'], $i);
            if (str_ends_with($stat['name'], '/')) {
                continue;
            }
            if ($stat['size'] < 0) {
                throw $this->broken();
            }
            $this->bound($unpacked += $stat['size']);
            $entries[] = $entry = new Entry($stat['name'], $stat['size']);
            if ($each !== null) {
                $each($entry, fn (int $most): string => (string) @$zip->getFromIndex($i, $most));
            }
        }

        return $entries;
    }

    public function extract(array $wanted): void
    {
        $zip = $this->zip();
        if ($wanted !== []) {
            $this->room(
                (int) array_sum(array_map(fn (string $name): int => max(0, $zip->statName($name)['size'] ?? 0), array_keys($wanted))),
                dirname(array_values($wanted)[0]),
            );
        }
        foreach ($wanted as $name => $target) {
            $stat = $zip->statName($name);
            $stream = $zip->getStream($name);
            if ($stat === false || $stream === false) {
                throw $this->broken();
            }
            Files::replace($target, function ($handle, string $path) use ($stream, $stat): void {
                // a few bytes can unpack to a disk full: no more than was told is taken
                for ($left = $stat['size']; $left > 0; $left -= strlen($piece)) {
                    $piece = (string) @fread($stream, min($left, 1 << 20));
                    if ($piece === '') {
                        throw $this->broken();
                    }
                    Files::put($handle, $piece, $path);
                }
            });
        }
    }

    private function zip(): \ZipArchive
    {
        $zip = new \ZipArchive;
        if ($zip->open($this->path, \ZipArchive::RDONLY) !== true) {
            throw Problem::input("{$this->label()} can't be opened as a zip archive: it is broken or incomplete.");
        }

        return $zip;
    }
}
