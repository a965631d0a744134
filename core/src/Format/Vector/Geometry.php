<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/** Geometries of GeoJSON as they may be worked with: known types, places of two finite numbers, rings that are closed. */
final class Geometry
{
    private const DEPTH = 4;

    /**
     * @param  array<mixed>  $geometry
     * @return array<string, mixed> type and coordinates, or type and geometries; heights are left out
     *
     * @throws Problem where it is something else
     */
    public static function checked(array $geometry, string $name, int $depth = 0): array
    {
        $type = $geometry['type'] ?? null;
        $raw = $geometry['coordinates'] ?? null;
        if ($type === 'GeometryCollection' && is_array($geometry['geometries'] ?? null) && $depth < self::DEPTH) {
            $parts = [];
            foreach ($geometry['geometries'] as $part) {
                $parts[] = self::checked(is_array($part) ? $part : [], $name, $depth + 1);
            }

            return ['type' => $type, 'geometries' => $parts];
        }
        if (! is_string($type) || ! is_array($raw)) {
            throw self::broken($name);
        }
        $coordinates = match ($type) {
            'Point' => self::places([$raw], $name)[0],
            'MultiPoint', 'LineString' => self::places($raw, $name),
            'MultiLineString' => array_map(fn (mixed $line): array => self::places(self::parts($line, $name), $name), array_values($raw)),
            'Polygon' => self::rings($raw, $name),
            'MultiPolygon' => array_map(fn (mixed $polygon): array => self::rings(self::parts($polygon, $name), $name), array_values($raw)),
            default => throw self::broken($name),
        };

        return ['type' => $type, 'coordinates' => $coordinates];
    }

    /**
     * @param  array<mixed>  $raw
     * @return list<list<array{float, float}>>
     */
    private static function rings(array $raw, string $name): array
    {
        $rings = [];
        foreach ($raw as $ring) {
            $places = self::places(self::parts($ring, $name), $name);
            $last = count($places) - 1;
            if ($last > 0 && $places[0] !== $places[$last]) {
                $places[] = $places[0];
            }
            $rings[] = $places;
        }

        return $rings;
    }

    /**
     * @param  array<mixed>  $raw
     * @return list<array{float, float}>
     */
    private static function places(array $raw, string $name): array
    {
        $places = [];
        foreach ($raw as $place) {
            $x = is_array($place) ? $place[0] ?? null : null;
            $y = is_array($place) ? $place[1] ?? null : null;
            if ((! is_float($x) && ! is_int($x)) || (! is_float($y) && ! is_int($y)) || ! is_finite($x) || ! is_finite($y)) {
                throw self::broken($name);
            }
            $places[] = [(float) $x, (float) $y];
        }

        return $places;
    }

    /** @return array<mixed> */
    private static function parts(mixed $raw, string $name): array
    {
        return is_array($raw) ? $raw : throw self::broken($name);
    }

    private static function broken(string $name): Problem
    {
        return Problem::input("$name is broken: a geometry in it is none that is known, or has no sound coordinates.", 'file');
    }
}
