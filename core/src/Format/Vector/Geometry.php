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
     * The same geometry with every place moved.
     *
     * @param  array<string, mixed>  $geometry  as checked
     * @param  \Closure(float, float): array{float, float}  $move
     * @return array<string, mixed>
     */
    public static function moved(array $geometry, \Closure $move): array
    {
        if (isset($geometry['geometries'])) {
            return [
                'type' => $geometry['type'],
                'geometries' => array_map(fn (mixed $part): array => self::moved((array) $part, $move), array_values((array) $geometry['geometries'])),
            ];
        }
        $walk = function (array $at) use (&$walk, $move): array {
            return is_array($at[0] ?? null) || $at === [] ? array_map($walk, $at) : $move($at[0], $at[1]);
        };

        return ['type' => $geometry['type'], 'coordinates' => $walk((array) $geometry['coordinates'])];
    }

    /**
     * The same geometry as far as it can be seen: of the corners of a line that lie nearer to each other than a distance, one is left.
     *
     * @param  array<string, mixed>  $geometry  as checked
     * @return array<string, mixed>
     */
    public static function thinned(array $geometry, float $distance): array
    {
        $thin = function (array $line) use ($distance): array {
            if ($line === []) {
                return [];
            }
            $out = [$line[0]];
            [$x, $y] = $line[0];
            $last = count($line) - 1;
            for ($i = 1; $i < $last; $i++) {
                if (abs($line[$i][0] - $x) >= $distance || abs($line[$i][1] - $y) >= $distance) {
                    $out[] = [$x, $y] = $line[$i];
                }
            }
            $out[] = $line[$last];

            return count($out) < 4 ? $line : $out;
        };
        $walk = function (array $at) use (&$walk, $thin): array {
            return is_array($at[0][0] ?? null) ? array_map($walk, $at) : $thin($at);
        };
        if (isset($geometry['geometries'])) {
            return [
                'type' => $geometry['type'],
                'geometries' => array_map(fn (mixed $part): array => self::thinned((array) $part, $distance), array_values((array) $geometry['geometries'])),
            ];
        }

        return in_array($geometry['type'], ['Point', 'MultiPoint'], true) || $geometry['coordinates'] === []
            ? $geometry
            : ['type' => $geometry['type'], 'coordinates' => $walk((array) $geometry['coordinates'])];
    }

    /**
     * All places of a geometry, one after the other.
     *
     * @param  array<string, mixed>  $geometry  as checked
     * @return list<array{float, float}>
     */
    public static function all(array $geometry): array
    {
        $places = [];
        self::moved($geometry, function (float $x, float $y) use (&$places): array {
            return $places[] = [$x, $y];
        });

        return $places;
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
        return Problem::input("$name is corrupt: it contains an unknown geometry, or invalid coordinates.", 'file');
    }
}
