<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Problem;

final class Folder extends PackedFiles
{
    public function entries(?callable $each = null): array
    {
        $entries = [];
        $walk = new \RecursiveIteratorIterator(new \RecursiveDirectoryIterator($this->path, \FilesystemIterator::SKIP_DOTS));
        foreach ($walk as $file) {
            if (! $file instanceof \SplFileInfo || $file->isLink() || ! $file->isFile()) {
                continue;
            }
            $name = substr($file->getPathname(), strlen($this->path) + 1);
            $this->check($name, count($entries));
            $entries[] = $entry = new Entry($name, (int) $file->getSize());
            if ($each !== null) {
                $each($entry, fn (int $most): string => (string) file_get_contents($file->getPathname(), false, null, 0, max(0, $most)));
            }
        }
        usort($entries, fn (Entry $a, Entry $b): int => strcmp($a->name, $b->name));

        return $entries;
    }

    public function extract(array $wanted): void
    {
        foreach ($wanted as $name => $target) {
            if (! @symlink((string) realpath("$this->path/$name"), $target) && ! @copy("$this->path/$name", $target)) {
                throw Problem::input("$name in {$this->label()} can't be read.");
            }
        }
    }
}
