<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;

/** Classes of a map as people name them: by name or by code. */
final class ClassCodes
{
    /** Classes of a mask that are ground to be seen. */
    private const GROUND = ['clear', 'water', 'snow'];

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

    /**
     * Classes of a mask that are not to be looked at: those named, or all that are no ground.
     *
     * @param  list<string>  $names
     * @return array<int, true> by code
     *
     * @throws Problem about the setting, where the mask does not tell
     */
    public static function leftOut(Image $mask, array $names, string $setting): array
    {
        $codes = self::of($mask, $names, $setting);
        if ($codes !== []) {
            return $codes;
        }
        $legend = $mask->spec()->legend;
        foreach ($legend?->codes() ?? [] as $code) {
            if (! in_array($legend?->name($code), self::GROUND, true)) {
                $codes[$code] = true;
            }
        }
        if ($legend === null || count($codes) === count($legend->codes())) {
            throw Problem::call("Say which classes of {$mask->name()} are left out: none of them is called clear.", $setting);
        }

        return $codes;
    }
}
