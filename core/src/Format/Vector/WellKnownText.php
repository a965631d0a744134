<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Datum;
use Chorometra\Core\Geo\Ellipsoid;
use Chorometra\Core\Geo\Geographic;
use Chorometra\Core\Geo\Projection;
use Chorometra\Core\Geo\Register;

/**
 * A CRS written as well-known text, version 1 (OGC 01-009) or the projected part of version 2 (OGC 18-010r7): its code where it names one,
 * else method, parameters and ellipsoid.
 */
final class WellKnownText
{
    private const MOST_BYTES = 1 << 16;

    private const METHODS = [
        'transversemercator' => 'tm',
        'gausskruger' => 'tm',
        'lambertazimuthalequalarea' => 'laea',
        'lambertconformalconic' => 'lcc',
        'lambertconformalconic1sp' => 'lcc',
        'lambertconformalconic2sp' => 'lcc',
        'lambertconicconformal1sp' => 'lcc',
        'lambertconicconformal2sp' => 'lcc',
        'albers' => 'albers',
        'albersconicequalarea' => 'albers',
        'albersequalarea' => 'albers',
        'polarstereographic' => 'stere',
        'polarstereographicvarianta' => 'stere',
        'polarstereographicvariantb' => 'stere',
        'stereographicnorthpole' => 'stere',
        'stereographicsouthpole' => 'stere',
        'popularvisualisationpseudomercator' => 'webmercator',
        'mercatorauxiliarysphere' => 'webmercator',
        'mercator' => 'merc',
        'mercator1sp' => 'merc',
        'mercator2sp' => 'merc',
        'mercatorvarianta' => 'merc',
        'mercatorvariantb' => 'merc',
        'cylindricalequalarea' => 'cea',
        'lambertcylindricalequalarea' => 'cea',
        'equalearth' => 'eqearth',
        'hotineobliquemercator' => 'omerc',
        'hotineobliquemercatorvarianta' => 'omerc',
        'hotineobliquemercatorazimuthcenter' => 'omercb',
        'hotineobliquemercatorvariantb' => 'omercb',
        'obliquestereographic' => 'sterea',
        'doublestereographic' => 'sterea',
        'krovak' => 'krovak',
        'krovaknorthorientated' => 'krovak',
    ];

    private const PARAMETERS = [
        'latitudeoforigin' => 'lat0',
        'latitudeofcenter' => 'lat0',
        'latitudeofnaturalorigin' => 'lat0',
        'latitudeoffalseorigin' => 'lat0',
        'latitudeofstandardparallel' => 'lat0',
        'centralmeridian' => 'lon0',
        'longitudeofcenter' => 'lon0',
        'longitudeofnaturalorigin' => 'lon0',
        'latitudeofprojectioncentre' => 'lat0',
        'longitudeofprojectioncentre' => 'lon0',
        'longitudeoffalseorigin' => 'lon0',
        'longitudeoforigin' => 'lon0',
        'straightverticallongitudefrompole' => 'lon0',
        'standardparallel1' => 'par1',
        'latitudeof1ststandardparallel' => 'par1',
        'pseudostandardparallel1' => 'par1',
        'latitudeofpseudostandardparallel' => 'par1',
        'standardparallel2' => 'par2',
        'latitudeof2ndstandardparallel' => 'par2',
        'azimuth' => 'azimuth',
        'azimuthofinitialline' => 'azimuth',
        'azimuthatprojectioncentre' => 'azimuth',
        'colatitudeofconeaxis' => 'azimuth',
        'rectifiedgridangle' => 'skew',
        'anglefromrectifiedtoskewgrid' => 'skew',
        'scalefactoronpseudostandardparallel' => 'k',
        'scalefactoratprojectioncentre' => 'k',
        'eastingatprojectioncentre' => 'x0',
        'northingatprojectioncentre' => 'y0',
        'scalefactor' => 'k',
        'scalefactoratnaturalorigin' => 'k',
        'falseeasting' => 'x0',
        'eastingatfalseorigin' => 'x0',
        'falsenorthing' => 'y0',
        'northingatfalseorigin' => 'y0',
    ];

    public static function name(string $text): ?string
    {
        if (! preg_match('/^\s*\w+\s*[\[(]\s*"([^"]*)"/', $text, $match)) {
            return null;
        }
        $datum = self::datum($text);

        return mb_substr($match[1], 0, 200).($datum !== null && $datum->isWgs84() && $datum->accuracy === null ? " ({$datum->words()})" : '');
    }

    public static function projection(string $text): ?Projection
    {
        if (trim($text) === '' || strlen($text) > self::MOST_BYTES) {
            return null;
        }
        // the code of the whole stands last
        if (preg_match('/(?:AUTHORITY|ID)\s*[\[(]\s*"EPSG"\s*,\s*"?(\d{1,9})"?\s*[\])]\s*[\])]\s*$/i', $text, $match) && Crs::knows((int) $match[1])) {
            return Crs::of((int) $match[1]);
        }
        $datum = self::datum($text);
        if ($datum === null) {
            return null;
        }
        if (! preg_match('/^\s*PROJ/i', $text)) {
            return Crs::placed(new Geographic, 1.0, $datum);
        }
        if (! preg_match('/(?:PROJECTION|METHOD)\s*[\[(]\s*"([^"]*)"/i', $text, $found)) {
            return null;
        }
        $method = self::METHODS[self::plain($found[1])] ?? null;
        // turned round, its axes run west and south
        if ($method === null || ($method === 'krovak' && ! preg_match('/north|XY_Plane_Rotation"\s*,\s*90/i', $text))) {
            return null;
        }
        $unit = self::unit($text);
        $parameters = [];
        preg_match_all('/PARAMETER\s*[\[(]\s*"([^"]*)"\s*,\s*([-+\d.eE]+)/i', $text, $pairs, PREG_SET_ORDER);
        foreach ($pairs as [, $name, $value]) {
            $key = self::PARAMETERS[self::plain($name)] ?? null;
            if ($key !== null) {
                $parameters[$key] = (float) $value * ($key === 'x0' || $key === 'y0' ? $unit : 1.0);
            }
        }
        if ($method === 'stere') {
            // some name the parallel instead of the origin, some the pole only by the name of the method
            $parameters['lat0'] = $parameters['par1'] ?? $parameters['lat0'] ?? (str_contains(self::plain($found[1]), 'south') ? -90.0 : 90.0);
        }
        $projection = Crs::method($method, $datum->ellipsoid, $parameters);

        return $projection === null ? null : Crs::placed($projection, $unit, $datum);
    }

    /** The datum of a text: by its code, its name, its own way to WGS 84, or no more than its ellipsoid; null where it tells none. */
    public static function datum(string $text): ?Datum
    {
        if (! preg_match('/(?:SPHEROID|ELLIPSOID)\s*[\[(]\s*"[^"]*"\s*,\s*([\d.]+)\s*,\s*([\d.]+)/i', $text, $shape)) {
            return null;
        }
        $ellipsoid = new Ellipsoid((float) $shape[1], (float) $shape[2]);
        if (preg_match('/TOWGS84\s*[\[(]\s*([-+\d.eE,\s]+)[\])]/i', $text, $told)) {
            $shift = array_map(floatval(...), explode(',', $told[1]));
            if ((count($shift) === 3 || count($shift) === 7) && is_finite(array_sum($shift)) && max(array_map(abs(...), $shift)) < 1e4) {
                return Datum::unnamed($ellipsoid, $shift);
            }
        }
        preg_match_all('/(?:GEOGCS|GEOGCRS|GEODCRS|DATUM)\s*[\[(]\s*"([^"]*)"/i', $text, $names);
        foreach ($names[1] as $name) {
            $found = Register::find(Register::geographic($name) ?? 0)['datum'] ?? null;
            if ($found !== null && abs($found->ellipsoid->axis - $ellipsoid->axis) < 1) {
                return $found;
            }
        }

        return Datum::unnamed($ellipsoid);
    }

    /** Metres in a unit of length: the last unit that is told. */
    private static function unit(string $text): float
    {
        preg_match_all('/(?:LENGTHUNIT|UNIT)\s*[\[(]\s*"([^"]*)"\s*,\s*([\d.eE+-]+)/i', $text, $units, PREG_SET_ORDER);
        foreach (array_reverse($units) as [, $name, $size]) {
            if (! preg_match('/degree|radian|grad/i', $name)) {
                return (float) $size > 1e-6 && (float) $size < 1e6 ? (float) $size : 1.0;
            }
        }

        return 1.0;
    }

    private static function plain(string $name): string
    {
        return strtolower((string) preg_replace('/[^A-Za-z0-9]/', '', $name));
    }
}
