<?php

namespace Chorometra\Core\Geo;

/**
 * A CRS from the parameters in GeoTIFF keys, for those without a code.
 *
 * Source: GeoTIFF 1.1 (OGC 19-008r4), annex on map projection keys.
 */
final class GeoKeys
{
    private const METHODS = [1 => 'tm', 8 => 'lcc', 9 => 'lcc', 10 => 'laea', 11 => 'albers', 15 => 'stere'];

    /** Key numbers by parameter, the first that is there counts. */
    private const PARAMETERS = [
        'lat0' => [3081, 3085, 3089], 'lon0' => [3080, 3084, 3088, 3095], 'par1' => [3078], 'par2' => [3079],
        'k' => [3092], 'x0' => [3082, 3086, 3090], 'y0' => [3083, 3087, 3091],
    ];

    /** @param  array{directory: list<int>, doubles: list<float>, text: string}  $keys */
    public static function projection(array $keys): ?Projection
    {
        $values = self::values($keys);
        $ellipsoid = self::ellipsoid($values);
        if ($ellipsoid === null || ! in_array($values[2054] ?? 9102, [9102, 9122], false)) {
            return null;
        }
        if (($values[1024] ?? 0) === 2) {
            return new Geographic;
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
        $projection = Crs::method($method, $ellipsoid, $parameters);

        return $projection === null || $unit === 1.0 ? $projection : new InUnits($projection, $unit);
    }

    /** @param  array<int, int|float>  $values */
    private static function ellipsoid(array $values): ?Ellipsoid
    {
        if (isset($values[2057])) {
            $flattening = $values[2059] ?? (isset($values[2058]) && (float) $values[2058] !== (float) $values[2057] ? $values[2057] / ($values[2057] - $values[2058]) : 0);

            return new Ellipsoid((float) $values[2057], (float) $flattening);
        }
        if (isset($values[2056])) {
            return Ellipsoid::ofCode((int) $values[2056]);
        }

        return match ($values[2048] ?? 4326) {
            4326 => new Ellipsoid,
            4258, 4269, 4283, 7844, 4171, 4619, 4167 => Ellipsoid::grs80(),
            default => null,
        };
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
