<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Format\Vector\GeoJsonFile;
use Chorometra\Core\Format\Vector\Geometry;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;

/** GeoJSON (RFC 7946): longitude and latitude on WGS 84. A legacy “crs” member that names an EPSG code is understood. */
final class GeoJson
{
    /** Features that are held at once. */
    private const MOST_FEATURES = 200_000;

    /**
     * All features of a file at once, for points and other small sets; large ones are read one by one (Vector\Vectors).
     *
     * @return array{epsg: int, features: list<array{geometry: array<string, mixed>|null, properties: array<string, mixed>}>}
     */
    public static function read(string $path): array
    {
        $file = new GeoJsonFile($path);
        $name = basename($path);
        if ($file->count > self::MOST_FEATURES) {
            throw Problem::input(
                "$name holds $file->count features, more than the ".number_format(self::MOST_FEATURES).' that are read at once: split it.',
            );
        }
        $features = [];
        foreach (self::features($file) as $feature) {
            $features[] = [
                'geometry' => $feature['geometry'] === null ? null : Geometry::checked($feature['geometry'], $name),
                'properties' => $feature['properties'],
            ];
        }

        return ['epsg' => $file->epsg(), 'features' => $features];
    }

    /** @return \Generator<int, array{geometry: array<mixed>|null, properties: array<string, mixed>}> as they are told */
    public static function features(GeoJsonFile $file): \Generator
    {
        foreach ($file->features() as $feature) {
            yield [
                'geometry' => $feature->at('geometry')->isMap() ? $feature->at('geometry')->raw() : null,
                'properties' => array_combine(array_map(strval(...), array_keys($feature->at('properties')->raw())), $feature->at('properties')->raw()),
            ];
        }
    }

    /**
     * Features one by one, so that a large collection needs no memory.
     *
     * @param  iterable<array<string, mixed>|string>  $features  a string is a feature written already
     */
    public static function write(string $path, iterable $features, ?int $mapCrs = null): void
    {
        Files::replace($path, function ($handle, string $path) use ($features, $mapCrs): void {
            $crs = $mapCrs === null ? '' : ',"crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::'.$mapCrs.'"}}';
            Files::put($handle, '{"type":"FeatureCollection"'.$crs.',"features":[', $path);
            $separator = "\n";
            foreach ($features as $feature) {
                Files::put(
                    $handle,
                    $separator.
                        (is_string($feature) ? $feature : json_encode($feature, JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_THROW_ON_ERROR)),
                    $path,
                );
                $separator = ",\n";
            }
            Files::put($handle, "\n]}\n", $path);
        });
    }

    /** @return array{float, float} map coordinates in $epsg of a position given in $from */
    public static function toMap(float $x, float $y, int $from, ?int $epsg, string $name): array
    {
        if ($from === $epsg) {
            return [$x, $y];
        }
        $place = Crs::toGeographic($from, $x, $y);
        $map = $place === null ? null : Crs::fromGeographic($epsg, ...$place);
        if ($map === null) {
            throw Problem::input(
                "$name can't be laid over the image: the CRS ".
                    ($place === null ? "EPSG:$from" : ($epsg === null ? 'of the image' : "EPSG:$epsg")).
                    ' is not supported.',
            );
        }

        return $map;
    }
}
