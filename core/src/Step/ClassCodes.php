<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;

/** Classes of a map as people name them: by name or by code. */
final class ClassCodes
{
    /**
     * @param  list<string>  $names
     * @return array<int, true> by code
     *
     * @throws Problem about the setting, where the map has no such class
     */
    public static function of(Image $map, array $names, string $setting): array
    {
        $codes = [];
        foreach ($names as $name) {
            $codes[self::one($map, $name, $setting)] = true;
        }

        return $codes;
    }

    public static function one(Image $map, string $name, string $setting): int
    {
        $legend = $map->spec()->legend;
        $code = ctype_digit($name) ? (int) $name : $legend?->codeOf($name);
        if ($code === null || ($legend !== null && ! in_array($code, $legend->codes(), true))) {
            $there = $legend === null ? '' : '; it has '.implode(', ', array_map($legend->name(...), $legend->codes()));
            throw Problem::call("{$map->name()} has no class “{$name}”$there.", $setting);
        }

        return $code;
    }
}
