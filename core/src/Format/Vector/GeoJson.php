<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Utf8;

/** GeoJSON (RFC 7946): longitude and latitude on WGS 84. A legacy “crs” member that names an EPSG code is understood. */
final class GeoJson implements FeatureReader, FeatureWriter
{
    /** Features that are held at once. */
    private const MOST_FEATURES = 200_000;

    public static function format(): string
    {
        return 'GeoJSON';
    }

    public static function recognises(string $head): bool
    {
        $text = Utf8::of($head);

        return preg_match('/^\s*(\xef\xbb\xbf)?\s*\{/', $text) === 1 &&
            preg_match('/"(Feature|FeatureCollection|Polygon|MultiPolygon|Point|LineString|GeometryCollection|features)"/', $text) === 1;
    }

    public static function endings(): array
    {
        return ['.geojson', '.json'];
    }

    public static function read(string $path, ?string $layer = null): FeatureSet
    {
        $file = new GeoJsonFile($path);
        $epsg = $file->epsg();

        return new FeatureSet(basename($path), self::format(), Crs::of($epsg), "EPSG:$epsg", $file->count, fn (): \Generator => self::features($file));
    }

    /**
     * All features of a file at once, for points and other small sets; large ones are read one by one (`read`).
     *
     * @return array{epsg: int, features: list<array{geometry: array<string, mixed>|null, properties: array<string, mixed>}>}
     *
     * @throws Problem where there are too many to be read at once
     */
    public static function all(string $path): array
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
    private static function features(GeoJsonFile $file): \Generator
    {
        foreach ($file->features() as $feature) {
            yield [
                'geometry' => $feature->at('geometry')->isMap() ? $feature->at('geometry')->raw() : null,
                'properties' => array_combine(array_map(strval(...), array_keys($feature->at('properties')->raw())), $feature->at('properties')->raw()),
            ];
        }
    }

    public static function write(string $path, iterable $features, ?int $epsg = null): void
    {
        Files::replace($path, function ($handle, string $path) use ($features, $epsg): void {
            $crs = $epsg === null ? '' : ',"crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::'.$epsg.'"}}';
            Files::put($handle, '{"type":"FeatureCollection"'.$crs.',"features":[', $path);
            $separator = "\n";
            foreach ($features as $feature) {
                $json = json_encode(['type' => 'Feature'] + $feature, JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_THROW_ON_ERROR);
                Files::put($handle, $separator.$json, $path);
                $separator = ",\n";
            }
            Files::put($handle, "\n]}\n", $path);
        });
    }

    /**
     * @return array{float, float} map coordinates in $epsg of a position given in $from
     *
     * @throws Problem where one of the CRS is not supported
     */
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
