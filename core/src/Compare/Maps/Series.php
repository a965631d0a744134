<?php

namespace Chorometra\Core\Compare\Maps;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\CodeCounts;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Step\Call;

/** Class maps of one place, in the order of their dates, and the classes that they have between them: by name, since codes of one name may differ. */
final readonly class Series
{
    private const MOST_MAPS = 100;

    /** Codes of a map of changes: all pairs of classes must find one. */
    private const MOST_CLASSES = 250;

    /**
     * @param  list<Image>  $maps
     * @param  list<string>  $dates  what each is called
     * @param  list<array{name: string, colour: string}>  $classes
     * @param  list<list<int>>  $tables  by map, place of each code among the classes; −1 for what is left out
     */
    private function __construct(public array $maps, public array $dates, public array $classes, public array $tables) {}

    /** @throws Problem where there is nothing to compare */
    public static function of(Call $call): self
    {
        $maps = $call->images('maps');
        if (count($maps) < 2 || count($maps) > self::MOST_MAPS) {
            throw Problem::input(
                count($maps) < 2 ? 'A single map cannot be compared: give two or more.' : 'At most '.self::MOST_MAPS.' maps are compared.',
                'maps',
            );
        }
        OneGrid::check($maps);
        $classes = [];
        self::sameLegend($maps);
        foreach ($maps as $k => $map) {
            // a palette may name codes that no pixel has
            $counts = CodeCounts::of($map, $call->context->part(0.1 * $k / count($maps), 0.1 * ($k + 1) / count($maps)));
            foreach (array_intersect_key($map->spec()->legend->classes ?? [], $counts) as $code => $class) {
                if ($code !== 0 && $code !== $map->spec()->nodataCode()) {
                    $classes[$class['name']] ??= $class['colour'];
                }
            }
        }
        if (count($classes) > self::MOST_CLASSES) {
            throw Problem::input('The maps have '.count($classes).' classes between them; at most '.self::MOST_CLASSES.' are compared.', 'maps');
        }
        $places = array_flip(array_map(strval(...), array_keys($classes)));
        $tables = array_map(fn (Image $map): array => self::table($map, $places), $maps);
        $told = $call->texts('names');
        if ($told !== [] && count($told) !== count($maps)) {
            throw Problem::call(sprintf('%d names are given for %d maps.', count($told), count($maps)), 'names');
        }

        return new self(
            $maps,
            $told !== [] ? $told : self::names($maps),
            array_map(fn (string|int $name, string $colour): array => ['name' => (string) $name, 'colour' => $colour], array_keys($classes), $classes),
            $tables,
        );
    }

    /** @return array<string, string> what stands against reading the maps as one series: their order, their legends */
    public function against(): array
    {
        $told = [];
        $times = array_map(fn (Image $map): ?string => self::time($map), $this->maps);
        $known = array_values(array_filter($times));
        $sorted = $known;
        sort($sorted);
        if ($known !== $sorted) {
            $told['order'] = 'The maps are not in order of date ('.implode(', ', $this->dates)
                .'): put them in order, or gains will read as losses.';
        }
        foreach ($this->maps as $k => $map) {
            $lacks = array_values(array_filter(
                array_column($this->classes, 'name'),
                fn (string $name): bool => $map->spec()->legend?->codeOf($name) === null,
            ));
            if ($lacks !== []) {
                $told["legend $k"] = "The legend of {$this->dates[$k]} has no ".implode(', ', $lacks)
                    .': pixels of that class in another map count as changed.';
            }
        }

        return $told;
    }

    public function number(): int
    {
        return count($this->classes);
    }

    /** @param  list<Image>  $maps */
    private static function sameLegend(array $maps): void
    {
        $names = array_map(fn (Image $map): array => array_column($map->spec()->legend->classes ?? [], 'name'), $maps);
        foreach ($names as $k => $some) {
            if ($k > 0 && array_intersect($names[0], $some) === []) {
                throw Problem::input(
                    sprintf(
                        '%s (%s) and %s (%s) have no class in common: give classes with the same meaning the same name (classify.recode).',
                        $maps[0]->name(),
                        implode(', ', array_slice($names[0], 0, 5)) ?: 'no legend',
                        $maps[$k]->name(),
                        implode(', ', array_slice($some, 0, 5)) ?: 'no legend',
                    ),
                    'maps',
                );
            }
        }
    }

    /**
     * Unlabelled, nodata and codes without a name are left out.
     *
     * @param  array<string, int>  $places
     * @return list<int>
     */
    private static function table(Image $map, array $places): array
    {
        $spec = $map->spec();
        $table = array_fill(0, $spec->type->bytes() === 1 ? 256 : 65536, -1);
        foreach ($spec->legend->classes ?? [] as $code => $class) {
            if ($code !== $spec->nodataCode() && $code !== 0 && isset($table[$code])) {
                $table[$code] = $places[$class['name']] ?? -1;
            }
        }

        return $table;
    }

    /**
     * By date where all are told and differ, else by number.
     *
     * @param  list<Image>  $maps
     * @return list<string>
     */
    private static function names(array $maps): array
    {
        $dates = array_map(fn (Image $map): string => substr((string) self::time($map), 0, 10), $maps);

        return count(array_unique(array_filter($dates))) === count($maps) ? $dates : array_map(fn (int $k): string => 'map '.($k + 1), array_keys($maps));
    }

    private static function time(Image $map): ?string
    {
        $properties = $map->spec()->properties;
        $told = $properties['datetime'] ?? $properties['start_datetime'] ?? null;

        return is_string($told) && $told !== '' ? $told : null;
    }
}
