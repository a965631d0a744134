<?php

namespace Chorometra\Core\Geo;

use Chorometra\Core\Raster\Grid;

/** Coordinate reference systems by EPSG code, to longitude and latitude on WGS 84 and back. */
final class Crs
{
    private const EARTH = 6_378_137.0;

    public static function knows(?int $epsg): bool
    {
        return $epsg === 4326 || $epsg === 3857 || self::utm($epsg) !== null;
    }

    /** @return array{float, float}|null longitude and latitude in degrees; null for a CRS that is not known here */
    public static function toGeographic(?int $epsg, float $x, float $y): ?array
    {
        if ($epsg === 4326) {
            return [$x, $y];
        }
        if ($epsg === 3857) {
            return [rad2deg($x / self::EARTH), rad2deg(atan(sinh($y / self::EARTH)))];
        }

        return self::utm($epsg)?->inverse($x, $y);
    }

    /** @return array{float, float}|null map coordinates */
    public static function fromGeographic(?int $epsg, float $longitude, float $latitude): ?array
    {
        if ($epsg === 4326) {
            return [$longitude, $latitude];
        }
        if ($epsg === 3857) {
            return [self::EARTH * deg2rad($longitude), self::EARTH * asinh(tan(deg2rad($latitude)))];
        }

        return self::utm($epsg)?->forward($longitude, $latitude);
    }

    /**
     * The outline of a grid in longitude and latitude, a closed ring with the inside to the left.
     *
     * @return list<array{float, float}>|null
     */
    public static function outline(Grid $grid): ?array
    {
        if (! self::knows($grid->epsg)) {
            return null;
        }
        $ring = [];
        foreach ([[0, 0], [0, $grid->height], [$grid->width, $grid->height], [$grid->width, 0], [0, 0]] as [$col, $row]) {
            $place = self::toGeographic($grid->epsg, ...$grid->toMap($col, $row));
            assert($place !== null);
            $ring[] = [round($place[0], 7), round($place[1], 7)];
        }

        return $ring;
    }

    private static function utm(?int $epsg): ?TransverseMercator
    {
        static $zones = [];
        if ($epsg === null) {
            return null;
        }
        $zone = $epsg % 100;
        $south = intdiv($epsg, 100) === 327;
        if (($south || intdiv($epsg, 100) === 326) && $zone >= 1 && $zone <= 60) {
            return $zones[$epsg] ??= new TransverseMercator(6.0 * $zone - 183.0, falseNorthing: $south ? 10_000_000.0 : 0.0);
        }

        return null;
    }
}
