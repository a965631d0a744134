<?php

namespace Chorometra\Core\Classify\Training;

use Chorometra\Core\Format\Document;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;

/** Divisions of land into classes as others have published them: files of core/resources/legends. */
final class PublishedLegends
{
    /** @return list<array{id: string, name: string, source: string, classes: list<array{value: int, name: string, colour: string}>}> */
    public static function all(): array
    {
        return array_map(function (string $path): array {
            $told = Document::read($path, 'legend');

            return ['id' => basename($path, '.json'), 'name' => $told['name'], 'source' => $told['source'], 'classes' => $told['classes']];
        }, glob(self::path('*')) ?: []);
    }

    /** @throws Problem where there is no such legend */
    public static function read(string $id): Legend
    {
        $path = self::path($id);
        if (preg_match('/^[\w-]+$/', $id) !== 1 || ! is_file($path)) {
            throw Problem::call("There is no published legend “{$id}”.", 'published');
        }

        return self::legend(Document::read($path, 'legend'));
    }

    /** @param  array<string, mixed>  $told  held to its schema */
    public static function legend(array $told): Legend
    {
        $classes = [];
        foreach ((array) $told['classes'] as ['value' => $value, 'name' => $name, 'colour' => $colour]) {
            $classes[$value] = ['name' => $name, 'colour' => $colour];
        }

        return new Legend($classes);
    }

    private static function path(string $id): string
    {
        return dirname(__DIR__, 3)."/resources/legends/$id.json";
    }
}
