<?php

namespace Chorometra\Core\Raster;

/** Colours that classes start with: what their name suggests (core/resources/class-colours.json), else the next of the palette. */
final class ClassColours
{
    /** @var array{palette: list<string>, names: list<array{colour: string, words: list<string>}>}|null */
    private static ?array $table = null;

    /**
     * @param  list<string>  $names
     * @param  array<int, string>  $given  colours that were chosen, by place in the list
     * @return list<string>
     */
    public static function of(array $names, array $given = []): array
    {
        $colours = [];
        $next = 0;
        foreach ($names as $index => $name) {
            $palette = self::table()['palette'];
            $colours[] = $given[$index] ?? self::suggested($name) ?? $palette[$next++ % count($palette)];
        }

        return $colours;
    }

    /** The colour of the first word that suggests one. */
    public static function suggested(string $name): ?string
    {
        preg_match_all('/\pL+/u', mb_strtolower($name), $words);
        foreach ($words[0] as $word) {
            foreach (self::table()['names'] as ['colour' => $colour, 'words' => $known]) {
                if (in_array($word, $known, true)) {
                    return $colour;
                }
            }
        }

        return null;
    }

    /** @return array{palette: list<string>, names: list<array{colour: string, words: list<string>}>} */
    private static function table(): array
    {
        return self::$table ??= json_decode((string) file_get_contents(__DIR__.'/../../resources/class-colours.json'), true, 8, JSON_THROW_ON_ERROR);
    }
}
