<?php

namespace Chorometra\Core\Geo;

use Chorometra\Core\Problem;

/**
 * Coordinate reference systems by EPSG code (Register), or by parameters (GeoTIFF keys, well-known text), to longitude and latitude on
 * WGS 84 and back. Datums are brought to WGS 84 by their published Helmert transformation; `datum` tells how, and how well.
 */
final class Crs
{
    public static function knows(?int $epsg): bool
    {
        return self::of($epsg) !== null;
    }

    public static function of(?int $epsg): ?Projection
    {
        static $made = [];
        if ($epsg === null) {
            return null;
        }
        if (! array_key_exists($epsg, $made)) {
            $made[$epsg] = self::made($epsg);
        }

        return $made[$epsg];
    }

    /** The CRS of a grid: by its code, or by the parameters in its GeoTIFF keys. */
    public static function ofGrid(Grid $grid): ?Projection
    {
        return $grid->epsg !== null ? self::of($grid->epsg) : ($grid->geoKeys === null ? null : GeoKeys::projection($grid->geoKeys));
    }

    /** @throws Problem with a sentence, where the CRS is not known */
    public static function need(?int $epsg, string $what, ?string $about = null): Projection
    {
        return self::of($epsg) ??
            throw Problem::input(
                ($epsg === null ? "$what has no CRS" : "$what is in EPSG:$epsg, which is not supported").
                    ': convert it to a supported one, such as UTM on WGS 84 (EPSG:326zz north, 327zz south).',
                $about,
            );
    }

    /** @throws Problem with a sentence, where the grid has no CRS that is known */
    public static function needGrid(Grid $grid, string $what, ?string $about = null): Projection
    {
        return self::ofGrid($grid) ?? self::need($grid->epsg, $what, $about);
    }

    /**
     * Refuses a grid that is only the nearest to its ground control points: places on it are pixels off.
     *
     * @throws Problem
     */
    public static function needMap(Grid $grid, string $what, string $about): void
    {
        if ($grid->controls !== null) {
            throw Problem::input(
                "$what has ground control points only, so its grid is approximate. Geocode it first (correct.geocode).",
                $about,
            );
        }
    }

    public static function name(?int $epsg): ?string
    {
        return $epsg === null ? null : Register::find($epsg)['name'] ?? null;
    }

    /** Whether map units are degrees. */
    public static function isGeographic(Grid $grid): bool
    {
        return $grid->epsg !== null ? (Register::find($grid->epsg)['method'] ?? null) === 'geographic' : self::ofGrid($grid) instanceof Geographic;
    }

    /** Metres in a unit of the map; NAN where units are degrees or the CRS is not known. */
    public static function metres(Grid $grid): float
    {
        if (self::isGeographic($grid) || ($projection = self::ofGrid($grid)) === null) {
            return NAN;
        }
        $projection = $projection instanceof OnDatum ? $projection->projection : $projection;

        return $projection instanceof InUnits ? $projection->metres : 1.0;
    }

    /** The unit of a map that is none of degrees, as it stands behind a number. */
    public static function unitSign(Grid $grid): string
    {
        $metres = self::metres($grid);

        return match (true) {
            abs($metres - 0.3048) < 1e-5 => ' ft',
            is_nan($metres) || $metres === 1.0 => ' m',
            default => sprintf(' units of %g m', $metres),
        };
    }

    /** The EPSG code of a projected CRS's unit of length: metre, foot, or foot of the survey. */
    public static function unitCode(int $epsg): int
    {
        return match (round(Register::find($epsg)['unit'] ?? 1.0, 9)) {
            0.3048 => 9002,
            round(1200 / 3937, 9) => 9003,
            default => 9001,
        };
    }

    /** The datum of a grid; null where its CRS is not known. */
    public static function datum(Grid $grid): ?Datum
    {
        return $grid->epsg !== null ? Register::find($grid->epsg)['datum'] ?? null : ($grid->geoKeys === null ? null : GeoKeys::datum($grid->geoKeys));
    }

    /**
     * How the datums of grids that are brought together were treated, for the figures of a step: nothing where all are on one.
     *
     * @return array<string, string>
     */
    public static function datums(Grid ...$grids): array
    {
        $told = [];
        foreach ($grids as $grid) {
            $datum = self::datum($grid);
            if ($datum !== null) {
                $told[$datum->name] = $datum->words();
            }
        }

        return count($told) < 2 ? [] : ['datum' => implode('; ', $told)];
    }

    /** The definition of a code in the notation of PROJ; null for one that is not known here. */
    public static function definition(int $epsg): ?string
    {
        $found = Register::find($epsg);
        if ($found === null) {
            return null;
        }
        ['method' => $method, 'datum' => $datum, 'unit' => $unit, 'numbers' => $p] = $found;
        $shape =
            $datum->ellipsoid->inverseFlattening > 0
                ? "+a={$datum->ellipsoid->axis} +rf={$datum->ellipsoid->inverseFlattening}"
                : "+a={$datum->ellipsoid->axis} +b={$datum->ellipsoid->axis}";
        if ($method === 'webmercator') {
            return '+proj=merc +a=6378137 +b=6378137 +lat_ts=0 +lon_0=0 +x_0=0 +y_0=0 +k=1 +units=m +nadgrids=@null +no_defs';
        }
        $isAcross = str_starts_with($method, 'omerc') && ($p['azimuth'] ?? 0.0) === 90.0;
        $text =
            '+proj='.
            match (true) {
                $isAcross => 'somerc',
                default => ['geographic' => 'longlat', 'tm' => 'tmerc', 'albers' => 'aea', 'omercb' => 'omerc'][$method] ?? $method,
            };
        $names = [
            'lat0' => 'lat_0',
            'lon0' => str_starts_with($method, 'omerc') && ! $isAcross ? 'lonc' : 'lon_0',
            'par1' => 'lat_1',
            'par2' => 'lat_2',
            'k' => 'k',
            'x0' => 'x_0',
            'y0' => 'y_0',
        ];
        $names += $isAcross || $method === 'krovak' ? [] : ['azimuth' => 'alpha', 'skew' => 'gamma'];
        if ($method === 'cea' || $method === 'merc') {
            $names['par1'] = 'lat_ts';
        } elseif ($method === 'krovak') {
            unset($names['par1']);
        }
        foreach (array_intersect_key($names, $p) as $name => $word) {
            // the latitude of a polar stereographic is that of its standard parallel
            $text .=
                $method === 'stere' && $name === 'lat0'
                    ? ' +lat_0='.($p[$name] < 0 ? -90 : 90).(abs($p[$name]) < 90 ? " +lat_ts=$p[$name]" : '')
                    : " +$word=$p[$name]";
        }

        return "$text $shape{$datum->notation()} ".($method === 'omerc' ? '+no_uoff ' : '').($unit === 1.0 ? '+units=m' : "+to_meter=$unit").' +no_defs';
    }

    private static function made(int $epsg): ?Projection
    {
        $found = Register::find($epsg);
        $projection = $found === null ? null : self::method($found['method'], $found['datum']->ellipsoid, $found['numbers']);

        return $projection === null ? null : self::placed($projection, $found['unit'], $found['datum']);
    }

    /** A projection in its units, on its datum. */
    public static function placed(Projection $projection, float $unit, Datum $datum): Projection
    {
        $projection = $unit === 1.0 || $projection instanceof Geographic ? $projection : new InUnits($projection, $unit);

        return $datum->isWgs84() ? $projection : new OnDatum($projection, $datum);
    }

    /**
     * Null for a method that is not known, and for parameters that make no map: a scale of nothing, an ellipsoid that is none.
     *
     * @param  array<string, float>  $p  lat0, lon0, par1, par2, azimuth, skew in degrees, k, x0, y0 in metres
     */
    public static function method(string $method, Ellipsoid $ellipsoid, array $p): ?Projection
    {
        $parallel = $p['par1'] ?? 0.0;
        $p += [
            'lat0' => 0.0,
            'lon0' => 0.0,
            'par1' => $p['lat0'] ?? 0.0,
            'par2' => $p['par1'] ?? ($p['lat0'] ?? 0.0),
            'k' => 1.0,
            'x0' => 0.0,
            'y0' => 0.0,
            'azimuth' => 0.0,
        ];
        $p += ['skew' => $p['azimuth']];
        $isSound =
            is_finite(array_sum($p)) &&
            $p['k'] > 0.01 &&
            $p['k'] < 100 &&
            abs($p['x0']) < 1e9 &&
            abs($p['y0']) < 1e9 &&
            max(abs($p['lat0']), abs($p['par1']), abs($p['par2'])) <= 90 &&
            max(abs($p['lon0']), abs($p['azimuth']), abs($p['skew'])) <= 360 &&
            $ellipsoid->axis > 1e3 &&
            $ellipsoid->axis < 1e9 &&
            ($ellipsoid->inverseFlattening === 0.0 || ($ellipsoid->inverseFlattening > 2 && is_finite($ellipsoid->inverseFlattening)));
        if (! $isSound) {
            return null;
        }
        try {
            $made = match ($method) {
                'geographic' => new Geographic,
                'webmercator' => new WebMercator,
                'tm' => new TransverseMercator($p['lon0'], $p['k'], $p['x0'], $p['y0'], $ellipsoid->axis, $ellipsoid->inverseFlattening, $p['lat0']),
                'laea' => new LambertAzimuthal($p['lat0'], $p['lon0'], $p['x0'], $p['y0'], $ellipsoid),
                'lcc' => new LambertConformal($p['lat0'], $p['lon0'], $p['par1'], $p['par2'], $p['x0'], $p['y0'], $p['k'], $ellipsoid),
                'albers' => new Albers($p['lat0'], $p['lon0'], $p['par1'], $p['par2'], $p['x0'], $p['y0'], $ellipsoid),
                'stere' => new PolarStereographic($p['lat0'], $p['lon0'], $p['k'], $p['x0'], $p['y0'], $ellipsoid),
                'merc' => new Mercator($p['lon0'], $parallel, $p['k'], $p['x0'], $p['y0'], $ellipsoid),
                'cea' => new CylindricalEqualArea($p['lon0'], $parallel, $p['x0'], $p['y0'], $ellipsoid),
                'eqearth' => new EqualEarth($p['lon0'], $p['x0'], $p['y0'], $ellipsoid),
                'omerc', 'omercb' => new ObliqueMercator(
                    $p['lat0'],
                    $p['lon0'],
                    $p['azimuth'],
                    $p['skew'],
                    $p['k'],
                    $p['x0'],
                    $p['y0'],
                    $method === 'omercb',
                    $ellipsoid,
                ),
                'krovak' => new Krovak($p['lat0'], $p['lon0'], $p['azimuth'], $parallel, $p['k'], $p['x0'], $p['y0'], $ellipsoid),
                'sterea' => new ObliqueStereographic($p['lat0'], $p['lon0'], $p['k'], $p['x0'], $p['y0'], $ellipsoid),
                default => null,
            };

            return $made !== null && self::comesBack($made, $p['lon0'], $p['lat0']) ? $made : null;
        } catch (\ArithmeticError) {
            return null;
        }
    }

    /** Whether a place near the origin is found again after going to the map and back. */
    private static function comesBack(Projection $projection, float $longitude, float $latitude): bool
    {
        $latitude = max(-60.0, min(60.0, $latitude)) + 1.0;
        [$east, $north] = $projection->inverse(...$projection->forward($longitude + 1.0, $latitude));

        return abs($north - $latitude) < 1e-4 && abs(fmod($east - $longitude - 1.0 + 540.0, 360.0) - 180.0) < 1e-4;
    }

    /** @return array{float, float}|null longitude and latitude in degrees; null for a CRS that is not known here */
    public static function toGeographic(?int $epsg, float $x, float $y): ?array
    {
        return self::of($epsg)?->inverse($x, $y);
    }

    /** @return array{float, float}|null map coordinates */
    public static function fromGeographic(?int $epsg, float $longitude, float $latitude): ?array
    {
        return self::of($epsg)?->forward($longitude, $latitude);
    }

    /** An angle in radians brought into ±π. */
    public static function turn(float $angle): float
    {
        return abs($angle) <= M_PI ? $angle : $angle - 2 * M_PI * round($angle / (2 * M_PI));
    }
}
