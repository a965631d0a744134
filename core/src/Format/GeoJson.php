<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;

/** GeoJSON (RFC 7946): longitude and latitude on WGS 84. A legacy “crs” member that names an EPSG code is understood. */
final class GeoJson
{
    private const MOST_BYTES = 256 << 20;

    /**
     * @return array{epsg: int, features: list<array{geometry: array<string, mixed>|null, properties: array<string, mixed>}>}
     */
    public static function read(string $path): array
    {
        $name = basename($path);
        if (! is_file($path) || filesize($path) > self::MOST_BYTES) {
            throw Problem::input(is_file($path) ? "$name is larger than 256 MB; cut it into parts." : "$name can't be opened.");
        }
        $json = json_decode((string) file_get_contents($path), true);
        $json = match (is_array($json) ? $json['type'] ?? null : null) {
            'Feature' => ['features' => [$json]] + $json,
            'Point', 'MultiPoint', 'LineString', 'MultiLineString', 'Polygon', 'MultiPolygon', 'GeometryCollection' => ['features' => [['geometry' => $json]]] + $json,
            default => $json,
        };
        if (! is_array($json) || ! is_array($json['features'] ?? null)) {
            throw Problem::input("$name is no GeoJSON: features were expected.");
        }
        $crs = $json['crs']['properties']['name'] ?? null;
        $epsg = is_string($crs) && preg_match('/EPSG:+(\d+)$/', $crs, $match) ? (int) $match[1] : 4326;
        $features = [];
        foreach ($json['features'] as $feature) {
            $features[] = ['geometry' => is_array($feature['geometry'] ?? null) ? $feature['geometry'] : null, 'properties' => is_array($feature['properties'] ?? null) ? $feature['properties'] : []];
        }

        return ['epsg' => $epsg, 'features' => $features];
    }

    /**
     * Features one by one, so that a large collection needs no memory.
     *
     * @param  iterable<array<string, mixed>>  $features
     */
    public static function write(string $path, iterable $features, ?int $mapCrs = null): void
    {
        Files::replace($path, function ($handle, string $path) use ($features, $mapCrs): void {
            $crs = $mapCrs === null ? '' : ',"crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::'.$mapCrs.'"}}';
            Files::put($handle, '{"type":"FeatureCollection"'.$crs.',"features":[', $path);
            $separator = "\n";
            foreach ($features as $feature) {
                Files::put($handle, $separator.json_encode($feature, JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_THROW_ON_ERROR), $path);
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
            throw Problem::input("$name can't be laid over the image: the CRS ".($place === null ? "EPSG:$from" : ($epsg === null ? 'of the image' : "EPSG:$epsg")).' is not known here.');
        }

        return $map;
    }
}
