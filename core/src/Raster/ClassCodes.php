<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Problem;

/**
 * Classes as people name them, everywhere alike: by name first, in quotes or not; by code as “#1”, or as a bare number where no class is
 * called so.
 */
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

    /** @throws Problem where the map has no such class */
    public static function one(Image $map, string $name, string $setting): int
    {
        $legend = $map->spec()->legend;
        $code = self::find($legend, $name, $setting);
        if ($code === null) {
            $there = $legend === null ? '' : '; it has '.implode(', ', array_map($legend->name(...), $legend->codes()));
            throw Problem::call("{$map->name()} has no class “{$name}”$there.", $setting);
        }

        return $code;
    }

    /**
     * @return int|null nothing where there is no such class
     *
     * @throws Problem about the setting, where two classes have that name
     */
    public static function find(?Legend $legend, string $text, ?string $setting = null): ?int
    {
        $text = trim($text);
        $isQuoted = preg_match('/^(["“”])(.+)["“”]$/su', $text, $quoted) === 1;
        $name = $isQuoted ? $quoted[2] : $text;
        $named = array_keys(array_filter($legend->classes ?? [], fn (array $class): bool => $class['name'] === $name));
        if (count($named) > 1) {
            throw Problem::call("Two classes are called “{$name}”: give the code instead, #".implode(' or #', $named).'.', $setting);
        }
        if ($named !== [] || $isQuoted || preg_match('/^#?(\d{1,5})$/', $name, $number) !== 1) {
            return $named[0] ?? null;
        }

        return $legend === null || isset($legend->classes[(int) $number[1]]) ? (int) $number[1] : null;
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
            throw Problem::call("Choose the classes of {$mask->name()} to exclude: none of them is called clear.", $setting);
        }

        return $codes;
    }
}
