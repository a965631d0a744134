<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Format\GeoJson;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Utf8;

/** Points, lines and polygons from whichever open format a file is in. */
final class Vectors
{
    public static function read(string $path, ?string $layer = null): FeatureSet
    {
        $format = self::format($path);
        if ($format === null) {
            throw Problem::input(basename($path).' holds no features that can be read: GeoJSON, GeoPackage or shapefile.', 'file');
        }

        return match ($format) {
            'GeoPackage' => GeoPackage::read($path, $layer),
            'shapefile' => Shapefile::read($path),
            default => self::geoJson($path),
        };
    }

    /** What kind of file it is by its first bytes; null for none of ours. */
    public static function format(string $path): ?string
    {
        $head = (string) @file_get_contents($path, false, null, 0, 4096);
        $text = Utf8::of($head);

        return match (true) {
            str_starts_with($head, "SQLite format 3\0") => 'GeoPackage',
            str_starts_with($head, "\0\0\x27\x0a") => 'shapefile',
            preg_match('/^\s*(\xef\xbb\xbf)?\s*\{/', $text) === 1 &&
                preg_match('/"(Feature|FeatureCollection|Polygon|MultiPolygon|Point|LineString|GeometryCollection|features)"/', $text) === 1 => 'GeoJSON',
            default => null,
        };
    }

    private static function geoJson(string $path): FeatureSet
    {
        $file = new GeoJsonFile($path);

        return new FeatureSet(
            basename($path),
            'GeoJSON',
            Crs::of($file->epsg()),
            "EPSG:{$file->epsg()}",
            $file->count,
            fn (): \Generator => GeoJson::features($file),
        );
    }
}
