<?php

namespace Chorometra\Core\Geo;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Grid;

/**
 * Coordinate reference systems by EPSG code, by parameters (GeoTIFF keys, well-known text), to longitude and latitude and back.
 *
 * Datums that lie within a metre or two of WGS 84 (ETRS89, NAD83, GDA94, GDA2020, RGF93 …) are taken for it; codes on other datums are not known here.
 */
final class Crs
{
    /** Parameters by EPSG code: method and what it takes (EPSG dataset, from memory, checked against PROJ 9.1.1). */
    private const CODES = [
        3857 => ['WGS 84 / web Mercator', 'webmercator'],
        2154 => ['RGF93 / Lambert-93', 'lcc', 'grs80', 'lat0' => 46.5, 'lon0' => 3.0, 'par1' => 49.0, 'par2' => 44.0, 'x0' => 700_000.0, 'y0' => 6_600_000.0],
        2193 => ['NZGD2000 / transverse Mercator', 'tm', 'grs80', 'lat0' => 0.0, 'lon0' => 173.0, 'k' => 0.9996, 'x0' => 1_600_000.0, 'y0' => 10_000_000.0],
        3005 => ['NAD83 / British Columbia Albers', 'albers', 'grs80', 'lat0' => 45.0, 'lon0' => -126.0, 'par1' => 50.0, 'par2' => 58.5, 'x0' => 1_000_000.0],
        3006 => ['SWEREF99 / transverse Mercator', 'tm', 'grs80', 'lon0' => 15.0, 'k' => 0.9996, 'x0' => 500_000.0],
        3031 => ['WGS 84 / Antarctic polar stereographic', 'stere', 'wgs84', 'lat0' => -71.0, 'lon0' => 0.0],
        3034 => ['ETRS89 / Lambert conformal conic Europe', 'lcc', 'grs80', 'lat0' => 52.0, 'lon0' => 10.0, 'par1' => 35.0, 'par2' => 65.0, 'x0' => 4_000_000.0, 'y0' => 2_800_000.0],
        3035 => ['ETRS89 / Lambert azimuthal equal area Europe', 'laea', 'grs80', 'lat0' => 52.0, 'lon0' => 10.0, 'x0' => 4_321_000.0, 'y0' => 3_210_000.0],
        3067 => ['ETRS89 / transverse Mercator 35', 'tm', 'grs80', 'lon0' => 27.0, 'k' => 0.9996, 'x0' => 500_000.0],
        3338 => ['NAD83 / Alaska Albers', 'albers', 'grs80', 'lat0' => 50.0, 'lon0' => -154.0, 'par1' => 55.0, 'par2' => 65.0],
        3347 => ['NAD83 / Statistics Canada Lambert', 'lcc', 'grs80', 'lat0' => 63.390675, 'lon0' => -91.8666666666667, 'par1' => 49.0, 'par2' => 77.0, 'x0' => 6_200_000.0, 'y0' => 3_000_000.0],
        3413 => ['WGS 84 / sea-ice polar stereographic north', 'stere', 'wgs84', 'lat0' => 70.0, 'lon0' => -45.0],
        3577 => ['GDA94 / Australian Albers', 'albers', 'grs80', 'lat0' => 0.0, 'lon0' => 132.0, 'par1' => -18.0, 'par2' => -36.0],
        3978 => ['NAD83 / Canada atlas Lambert', 'lcc', 'grs80', 'lat0' => 49.0, 'lon0' => -95.0, 'par1' => 49.0, 'par2' => 77.0],
        3995 => ['WGS 84 / Arctic polar stereographic', 'stere', 'wgs84', 'lat0' => 71.0, 'lon0' => 0.0],
        5070 => ['NAD83 / conterminous USA Albers', 'albers', 'grs80', 'lat0' => 23.0, 'lon0' => -96.0, 'par1' => 29.5, 'par2' => 45.5],
        6931 => ['WGS 84 / north pole equal area', 'laea', 'wgs84', 'lat0' => 90.0, 'lon0' => 0.0],
        6932 => ['WGS 84 / south pole equal area', 'laea', 'wgs84', 'lat0' => -90.0, 'lon0' => 0.0],
        32661 => ['WGS 84 / universal polar stereographic north', 'stere', 'wgs84', 'lat0' => 90.0, 'lon0' => 0.0, 'k' => 0.994, 'x0' => 2_000_000.0, 'y0' => 2_000_000.0],
        32761 => ['WGS 84 / universal polar stereographic south', 'stere', 'wgs84', 'lat0' => -90.0, 'lon0' => 0.0, 'k' => 0.994, 'x0' => 2_000_000.0, 'y0' => 2_000_000.0],
    ];

    private const GEOGRAPHIC = [4326 => 'WGS 84', 4258 => 'ETRS89', 4269 => 'NAD83', 4283 => 'GDA94', 7844 => 'GDA2020', 4171 => 'RGF93', 4619 => 'SWEREF99', 4167 => 'NZGD2000'];

    /** UTM zones: first code, last code, zone of the first, datum, whether south. */
    private const ZONES = [
        [32601, 32660, 1, 'WGS 84', 'wgs84', false], [32701, 32760, 1, 'WGS 84', 'wgs84', true], [25828, 25838, 28, 'ETRS89', 'grs80', false],
        [26901, 26923, 1, 'NAD83', 'grs80', false], [28348, 28358, 48, 'GDA94', 'grs80', true], [7846, 7859, 46, 'GDA2020', 'grs80', true],
    ];

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
            $parameters = self::parameters($epsg);
            $made[$epsg] = $parameters === null ? null : self::make($parameters);
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
        return self::of($epsg) ?? throw Problem::input(($epsg === null ? "$what has no CRS" : "$what is in EPSG:$epsg, which is not known here").': bring it in one that is, such as UTM on WGS 84 (EPSG:326zz north, 327zz south).', $about);
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
            throw Problem::input("$what has ground control points only: its grid is but the nearest to them. Bring it onto the map first (correct.geocode).", $about);
        }
    }

    /**
     * What a number of pixels cover in the plane of the map. Null where that is no area of ground: degrees, no georeference, ground
     * control points only, and the web's Mercator, in which areas grow with latitude.
     */
    public static function hectares(Grid $grid, float $pixels): ?float
    {
        $projection = self::ofGrid($grid);
        if (! $grid->isReferenced() || $grid->controls !== null || $grid->isGeographic() || $projection instanceof Geographic || $projection instanceof WebMercator) {
            return null;
        }
        $metres = $projection instanceof InUnits ? $projection->metres : 1.0;

        return $pixels * $grid->pixelArea() * $metres ** 2 / 1e4;
    }

    public static function name(?int $epsg): ?string
    {
        $parameters = $epsg === null ? null : self::parameters($epsg);

        return $parameters === null ? null : (string) $parameters[0];
    }

    /** The definition of a code in the notation of PROJ, without shift of datum; null for one that is not known here. */
    public static function definition(int $epsg): ?string
    {
        $p = self::parameters($epsg);
        if ($p === null || $p[1] === 'geographic') {
            return $p === null ? null : '+proj=longlat +datum=WGS84 +no_defs';
        }
        if ($p[1] === 'webmercator') {
            return '+proj=merc +a=6378137 +b=6378137 +lat_ts=0 +lon_0=0 +x_0=0 +y_0=0 +k=1 +units=m +nadgrids=@null +no_defs';
        }
        $names = ['lat0' => 'lat_0', 'lon0' => 'lon_0', 'par1' => 'lat_1', 'par2' => 'lat_2', 'k' => 'k', 'x0' => 'x_0', 'y0' => 'y_0'];
        $text = '+proj='.match ($p[1]) {
            'tm' => 'tmerc',
            'albers' => 'aea',
            default => $p[1],
        };
        foreach ($names as $name => $word) {
            if (isset($p[$name])) {
                // the latitude of a polar stereographic is that of its standard parallel
                $text .= $p[1] === 'stere' && $name === 'lat0' ? ' +lat_0='.($p[$name] < 0 ? -90 : 90).(abs((float) $p[$name]) < 90 ? " +lat_ts=$p[$name]" : '') : " +$word=$p[$name]";
            }
        }

        return $text.' +ellps='.($p[2] === 'grs80' ? 'GRS80' : 'WGS84').' +towgs84=0,0,0 +units=m +no_defs';
    }

    /**
     * Method and parameters of a code: what the browser needs to show it in place.
     *
     * @return array<int|string, string|float>|null name, method, ellipsoid, then lat0, lon0, par1, par2, k, x0, y0 where they apply
     */
    public static function parameters(int $epsg): ?array
    {
        if (isset(self::GEOGRAPHIC[$epsg])) {
            return [self::GEOGRAPHIC[$epsg], 'geographic'];
        }
        foreach (self::ZONES as [$first, $last, $zone, $datum, $ellipsoid, $south]) {
            if ($epsg >= $first && $epsg <= $last) {
                $zone += $epsg - $first;

                return ["$datum / UTM zone $zone".($south ? 'S' : 'N'), 'tm', $ellipsoid, 'lon0' => 6.0 * $zone - 183.0, 'k' => 0.9996, 'x0' => 500_000.0, 'y0' => $south ? 10_000_000.0 : 0.0];
            }
        }

        return self::CODES[$epsg] ?? null;
    }

    /** @param  array<int|string, string|float>  $p  as parameters() gives them */
    private static function make(array $p): Projection
    {
        $ellipsoid = ($p[2] ?? 'wgs84') === 'grs80' ? Ellipsoid::grs80() : new Ellipsoid;

        $numbers = [];
        foreach ($p as $name => $value) {
            if (is_string($name)) {
                $numbers[$name] = (float) $value;
            }
        }

        return self::method((string) $p[1], $ellipsoid, $numbers) ?? throw new \LogicException("No method $p[1].");
    }

    /**
     * Null for a method that is not known, and for parameters that make no map: a scale of nothing, an ellipsoid that is none.
     *
     * @param  array<string, float>  $p  lat0, lon0, par1, par2 in degrees, k, x0, y0 in metres
     */
    public static function method(string $method, Ellipsoid $ellipsoid, array $p): ?Projection
    {
        $p += ['lat0' => 0.0, 'lon0' => 0.0, 'par1' => $p['lat0'] ?? 0.0, 'par2' => $p['par1'] ?? $p['lat0'] ?? 0.0, 'k' => 1.0, 'x0' => 0.0, 'y0' => 0.0];
        $isSound = is_finite(array_sum($p)) && $p['k'] > 0.01 && $p['k'] < 100 && abs($p['x0']) < 1e9 && abs($p['y0']) < 1e9 && max(abs($p['lat0']), abs($p['par1']), abs($p['par2'])) <= 90 && abs($p['lon0']) <= 360
            && $ellipsoid->axis > 1e3 && $ellipsoid->axis < 1e9 && ($ellipsoid->inverseFlattening === 0.0 || ($ellipsoid->inverseFlattening > 2 && is_finite($ellipsoid->inverseFlattening)));
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

    /**
     * The outline of a grid in longitude and latitude, a closed ring with the inside to the left.
     *
     * @return list<array{float, float}>|null
     */
    public static function outline(Grid $grid): ?array
    {
        $projection = self::ofGrid($grid);
        if ($projection === null) {
            return null;
        }
        $ring = [];
        foreach ([[0, 0], [0, $grid->height], [$grid->width, $grid->height], [$grid->width, 0], [0, 0]] as [$col, $row]) {
            $place = $projection->inverse(...$grid->toMap($col, $row));
            if (is_nan($place[0]) || is_nan($place[1])) {
                return null;
            }
            $ring[] = [round($place[0], 7), round($place[1], 7)];
        }

        return $ring;
    }
}
