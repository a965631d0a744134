<?php

namespace App\Studies;

use App\Models\LegendClass;
use App\Models\Study;
use Chorometra\Core\Raster\Described;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;

/** The legend of a study: a class has its colour wherever it comes up, in the views, in what steps make of it, and in what is handed on. */
final class StudyLegend
{
    /** @return array<string, string> colours by name, in the order of the legend */
    public static function colours(Study $study): array
    {
        return $study->legend()->pluck('colour', 'name')->all();
    }

    /** @return list<array{name: string, colour: string}> */
    public static function classes(Study $study): array
    {
        return array_values($study->legend()->get()->map(fn (LegendClass $class): array => ['name' => $class->name, 'colour' => $class->colour])->all());
    }

    /**
     * Tells one state of a legend from another.
     *
     * @param  list<array{name: string, colour: string}>  $classes
     */
    public static function stamp(array $classes): string
    {
        return hash('xxh3', (string) json_encode($classes));
    }

    /** Classes that come up for the first time join the legend with the colour that they have. */
    public static function meet(Study $study, Legend $legend): void
    {
        foreach ($legend->classes as $class) {
            $study->legend()->firstOrCreate(['name' => $class['name']], ['colour' => $class['colour']]);
        }
    }

    /** A class map in the colours of the study. */
    public static function seen(Study $study, Image $image): Image
    {
        $spec = $image->spec();
        $colours = self::colours($study);
        $classes = [];
        foreach ($spec->legend->classes ?? [] as $code => $class) {
            $classes[$code] = ['name' => $class['name'], 'colour' => $colours[$class['name']] ?? $class['colour']];
        }

        return $classes === ($spec->legend->classes ?? []) ? $image : new Described($image, $spec->with(legend: new Legend($classes)));
    }

    /**
     * The legend of a map as it is shown.
     *
     * @param  list<array{value: int, name: string, colour: string}>  $legend
     * @return list<array{value: int, name: string, colour: string}>
     */
    public static function shown(Study $study, array $legend): array
    {
        $colours = self::colours($study);

        return array_map(fn (array $class): array => ['colour' => $colours[$class['name']] ?? $class['colour']] + $class, $legend);
    }

    /** @param  list<array{name: string, colour: string}>  $classes  in the order wanted */
    public static function set(Study $study, array $classes): void
    {
        $study->legend()->delete();
        foreach ($classes as $class) {
            LegendClass::query()->create(['study_id' => $study->id] + $class);
        }
        // maps look different now
        $steps = $study->items()->where('type', 'classes')->whereNotNull('step_id')->distinct()->pluck('step_id');
        $study->changed();
        foreach ($steps as $step) {
            $study->changed((int) $step);
        }
    }
}
