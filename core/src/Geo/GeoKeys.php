<?php

namespace Chorometra\Core\Geo;

/**
 * A CRS from the parameters in GeoTIFF keys, for those without a code.
 *
 * Source: GeoTIFF 1.1 (OGC 19-008r4), annex on map projection keys.
 */
final class GeoKeys
{
    private const METHODS = [
        1 => 'tm',
        3 => 'omerc',
        7 => 'merc',
        8 => 'lcc',
        9 => 'lcc',
        10 => 'laea',
        11 => 'albers',
        15 => 'stere',
        16 => 'sterea',
        28 => 'cea',
    ];

    /** Key numbers by parameter, the first that is there counts. */
    private const PARAMETERS = [
        'lat0' => [3081, 3085, 3089], 'lon0' => [3080, 3084, 3088, 3095], 'par1' => [3078], 'par2' => [3079],
        'k' => [3092, 3093], 'azimuth' => [3094], 'skew' => [3096], 'x0' => [3082, 3086, 3090], 'y0' => [3083, 3087, 3091],
    ];

    /** @param  array{directory: list<int>, doubles: list<float>, text: string}  $keys */
    public static function projection(array $keys): ?Projection
    {
        $values = self::values($keys);
        $datum = self::datum($keys);
        if ($datum === null || ! in_array($values[2054] ?? 9102, [9102, 9122], false)) {
            return null;
        }
        if (($values[1024] ?? 0) === 2) {
            return Crs::placed(new Geographic, 1.0, $datum);
        }
        $unit = match ($values[3076] ?? 9001) {
            9001 => 1.0,
            9002 => 0.3048,
            9003 => 1200 / 3937,
            default => (float) ($values[3077] ?? 0),
        };
        $method = self::METHODS[(int) ($values[3075] ?? 0)] ?? null;
        if ($unit < 1e-6 || $unit > 1e6 || $method === null) {
            return null;
        }
        $parameters = [];
        foreach (self::PARAMETERS as $name => $numbers) {
            foreach ($numbers as $number) {
                if (isset($values[$number])) {
                    $parameters[$name] ??= (float) $values[$number] * ($name === 'x0' || $name === 'y0' ? $unit : 1.0);
                }
            }
        }
        $projection = Crs::method($method, $datum->ellipsoid, $parameters);

        return $projection === null ? null : Crs::placed($projection, $unit, $datum);
    }

    /**
     * The datum that keys tell: by the code of its geographic CRS, by its own way to WGS 84, or no more than its ellipsoid.
     *
     * @param  array{directory: list<int>, doubles: list<float>, text: string}  $keys
     */
    public static function datum(array $keys): ?Datum
    {
        $values = self::values($keys);
        $known = Register::find((int) ($values[2048] ?? 4326));
        if (! isset($values[2057]) && ! isset($values[2056])) {
            return $known['datum'] ?? null;
        }
        $flattening =
            $values[2059] ??
            (isset($values[2057], $values[2058]) && (float) $values[2058] !== (float) $values[2057] ? $values[2057] / ($values[2057] - $values[2058]) : 0);
        $ellipsoid = isset($values[2057]) ? new Ellipsoid((float) $values[2057], (float) $flattening) : Ellipsoid::ofCode((int) $values[2056]);
        if ($ellipsoid === null) {
            return null;
        }
        if (isset($values[2048]) && $known !== null && abs($known['datum']->ellipsoid->axis - $ellipsoid->axis) < 1) {
            return $known['datum'];
        }

        return Datum::unnamed($ellipsoid, self::shift($keys));
    }

    /**
     * A way to WGS 84 of its own (key 2062): three or seven numbers.
     *
     * @param  array{directory: list<int>, doubles: list<float>, text: string}  $keys
     * @return list<float>
     */
    private static function shift(array $keys): array
    {
        foreach (array_slice(array_chunk($keys['directory'], 4), 1) as $entry) {
            if (count($entry) === 4 && $entry[0] === 2062 && $entry[1] === 34736 && in_array($entry[2], [3, 7], true)) {
                $shift = array_slice($keys['doubles'], $entry[3], $entry[2]);

                return count($shift) === $entry[2] && is_finite(array_sum($shift)) && max(array_map(abs(...), $shift)) < 1e4 ? $shift : [];
            }
        }

        return [];
    }

    /**
     * @param  array{directory: list<int>, doubles: list<float>, text: string}  $keys
     * @return array<int, int|float>
     */
    private static function values(array $keys): array
    {
        $values = [];
        foreach (array_slice(array_chunk($keys['directory'], 4), 1) as $entry) {
            if (count($entry) < 4) {
                break;
            }
            [$key, $where, , $value] = $entry;
            if ($where === 0) {
                $values[$key] = $value;
            } elseif ($where === 34736 && isset($keys['doubles'][$value])) {
                $values[$key] = $keys['doubles'][$value];
            }
        }

        return $values;
    }
}
