<?php

namespace Chorometra\Core\Geo;

/** EPSG:3857, the sphere of the web's maps. Source: EPSG Guidance Note 7-2, method 1024. */
final readonly class WebMercator implements Projection
{
    private const EARTH = 6_378_137.0;

    public function forward(float $longitude, float $latitude): array
    {
        return [self::EARTH * deg2rad($longitude), self::EARTH * asinh(tan(deg2rad($latitude)))];
    }

    public function inverse(float $x, float $y): array
    {
        return [rad2deg($x / self::EARTH), rad2deg(atan(sinh($y / self::EARTH)))];
    }
}
