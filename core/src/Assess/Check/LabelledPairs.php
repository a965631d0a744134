<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\Values;

/** What a map says at points, and what they are said to be, in the map's own codes; labels that the map lacks get codes of their own. */
final readonly class LabelledPairs
{
    /** Codes of labels that no class of the map has begin above those of any map. */
    private const BEYOND = 65536;

    /**
     * @param  list<array{int|null, int|null}>  $codes  the map's, null outside and where it is nodata; the label's, null where there is none
     * @param  Legend  $legend  of the map, and of the labels that it lacks
     * @param  list<string>  $strange  labels that the map lacks
     */
    private function __construct(public array $codes, public Legend $legend, public array $strange) {}

    /**
     * @param  list<array{x: float, y: float, label: string|null, ...}>  $points
     *
     * @throws Problem where no label at all is a class of the map
     */
    public static function of(Image $map, array $points): self
    {
        $legend = $map->spec()->legend ?? new Legend([]);
        $codes = $strange = [];
        $isKnown = false;
        foreach ($points as $point) {
            $label = $point['label'];
            $truth = $label === null
                ? null
                : ClassCodes::find($legend, $label, 'points') ?? (ctype_digit($label) && $label < self::BEYOND ? (int) $label : null);
            $isKnown = $isKnown || $truth !== null || $label === null;
            if ($label !== null && $truth === null) {
                $truth = $strange[$label] ??= self::BEYOND + count($strange);
            }
            $codes[] = [Values::codeAt($map, $point['x'], $point['y']), $truth];
        }
        if (! $isKnown && $strange !== []) {
            throw Problem::input(
                sprintf(
                    'None of the labels (%s) is a class of %s, whose classes are %s.',
                    implode(', ', array_map(fn (int|string $label): string => "“{$label}”", array_slice(array_keys($strange), 0, 5))),
                    $map->name(),
                    implode(', ', array_map($legend->name(...), $legend->codes())),
                ),
                'points',
            );
        }
        $names = array_map(strval(...), array_keys($strange));

        return new self($codes, new Legend($legend->classes + array_combine(
            array_values($strange),
            array_map(fn (string $name): array => ['name' => $name, 'colour' => '#8c8c8c'], $names),
        )), $names);
    }
}
