<?php

namespace App\Studies;

use App\Models\Item;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;

/** What was computed of an item and holds for good, since items never change: kept beside the files of its study, and gone with the item. */
final class Kept
{
    /** Grows when something is computed anew: what was kept before is not of use then. */
    private const EDITION = 1;

    /**
     * @template T
     *
     * @param  string  $what  tells it from what else is kept of the item
     * @param  class-string  ...$classes  that it consists of, beside plain values
     * @param  \Closure(): T  $make
     * @return T
     */
    public static function of(Item $item, string $what, \Closure $make, string ...$classes): mixed
    {
        $path = self::folder($item).'/'.hash('xxh3', self::EDITION."/$what");
        $bytes = is_file($path) ? @file_get_contents($path) : false;
        if ($bytes !== false) {
            $kept = @unserialize($bytes, ['allowed_classes' => $classes]);
            if (is_array($kept) && array_key_exists('kept', $kept)) {
                return $kept['kept'];
            }
        }
        $made = $make();
        try {
            Files::write($path, serialize(['kept' => $made]));
        } catch (Problem) {
            // where nothing can be written it is computed again
        }

        return $made;
    }

    public static function forget(Item $item): void
    {
        Files::remove(self::folder($item));
    }

    private static function folder(Item $item): string
    {
        return config()->string('chorometra.files')."/studies/$item->study_id/kept/$item->id";
    }
}
