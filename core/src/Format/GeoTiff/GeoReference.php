<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Stats\LeastSquares;

/** GeoTIFF 1.1 (OGC 19-008r4): tags to a grid and back. */
final class GeoReference
{
    private const MODEL_TYPE = 1024;

    private const RASTER_TYPE = 1025;

    private const GEODETIC_CRS = 2048;

    private const PROJECTED_CRS = 3072;

    public static function grid(Directory $directory, TiffBytes $source, int $width, int $height): Grid
    {
        $keys = self::keys($directory, $source);
        $isPoint = ($keys[self::RASTER_TYPE] ?? 1) === 2;
        $controls = self::controls($directory, $isPoint);
        $transform = $controls === null ? self::transform($directory, $source, $isPoint) : self::through($controls);
        $epsg = null;
        foreach ([self::PROJECTED_CRS, self::GEODETIC_CRS] as $key) {
            $code = $keys[$key] ?? 0;
            if ($code >= 1024 && $code <= 32766) {
                $epsg = $code;
                break;
            }
            if ($code === 32767) {
                break;
            }
        }
        $kept = null;
        if ($epsg === null && $keys !== []) {
            $kept = [
                'directory' => $directory->ints(Tag::GEO_KEYS),
                'doubles' => $directory->has(Tag::GEO_DOUBLES) ? $directory->doubles(Tag::GEO_DOUBLES) : [],
                'text' => $directory->text(Tag::GEO_TEXT),
            ];
            // positions are corners from here on
            $kept['directory'] = self::asArea($kept['directory']);
        }

        return new Grid($width, $height, $transform, $epsg, $kept, $controls);
    }

    /**
     * What to write for a grid.
     *
     * @return array<int, array{type: int, values: list<int>|list<float>|string}> tag => TIFF type and values
     */
    public static function tags(Grid $grid): array
    {
        $tags = [];
        $t = $grid->transform;
        if ($grid->controls !== null) {
            $tags[Tag::TIE_POINT] = [
                'type' => 12,
                'values' => array_merge(...array_map(fn (array $one): array => [$one[0], $one[1], 0.0, $one[2], $one[3], 0.0], $grid->controls)),
            ];
        } elseif ($grid->isReferenced()) {
            if ($t[2] === 0.0 && $t[4] === 0.0 && $t[1] > 0 && $t[5] < 0) {
                $tags[Tag::PIXEL_SCALE] = ['type' => 12, 'values' => [$t[1], -$t[5], 0.0]];
                $tags[Tag::TIE_POINT] = ['type' => 12, 'values' => [0.0, 0.0, 0.0, $t[0], $t[3], 0.0]];
            } else {
                $tags[Tag::TRANSFORMATION] = [
                    'type' => 12,
                    'values' => [$t[1], $t[2], 0.0, $t[0], $t[4], $t[5], 0.0, $t[3], 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0],
                ];
            }
        }
        if ($grid->geoKeys !== null) {
            $tags[Tag::GEO_KEYS] = ['type' => 3, 'values' => $grid->geoKeys['directory']];
            if ($grid->geoKeys['doubles'] !== []) {
                $tags[Tag::GEO_DOUBLES] = ['type' => 12, 'values' => $grid->geoKeys['doubles']];
            }
            if ($grid->geoKeys['text'] !== '') {
                $tags[Tag::GEO_TEXT] = ['type' => 2, 'values' => $grid->geoKeys['text']];
            }
        } elseif ($grid->epsg !== null) {
            $geographic = Crs::isGeographic($grid);
            $tags[Tag::GEO_KEYS] = [
                'type' => 3,
                'values' => [
                    1,
                    1,
                    1,
                    4,
                    self::MODEL_TYPE,
                    0,
                    1,
                    $geographic ? 2 : 1,
                    self::RASTER_TYPE,
                    0,
                    1,
                    1,
                    ...$geographic
                        ? [self::GEODETIC_CRS, 0, 1, $grid->epsg, 2054, 0, 1, 9102]
                        : [self::PROJECTED_CRS, 0, 1, $grid->epsg, 3076, 0, 1, Crs::unitCode($grid->epsg)],
                ],
            ];
        } elseif ($grid->isReferenced()) {
            $tags[Tag::GEO_KEYS] = ['type' => 3, 'values' => [1, 1, 1, 1, self::RASTER_TYPE, 0, 1, 1]];
        }

        return $tags;
    }

    /** @return array<int, int> keys whose value is a short */
    private static function keys(Directory $directory, TiffBytes $source): array
    {
        $raw = $directory->ints(Tag::GEO_KEYS);
        if ($raw === []) {
            return [];
        }
        if (count($raw) < 4 || count($raw) < 4 + 4 * $raw[3]) {
            throw $source->broken('its list of GeoTIFF keys is cut short');
        }
        $keys = [];
        for ($i = 0; $i < $raw[3]; $i++) {
            [$key, $where, , $value] = array_slice($raw, 4 + 4 * $i, 4);
            if ($where === 0) {
                $keys[$key] = $value;
            }
        }

        return $keys;
    }

    /**
     * Many tie points and neither a scale nor a matrix: ground control points of an image that lies in no map yet.
     *
     * @return list<array{float, float, float, float}>|null column and row (corners at whole numbers), x and y
     */
    private static function controls(Directory $directory, bool $pointIsCentre): ?array
    {
        $ties = $directory->has(Tag::TIE_POINT) ? $directory->doubles(Tag::TIE_POINT) : [];
        if (count($ties) < 18 || $directory->has(Tag::PIXEL_SCALE) || $directory->has(Tag::TRANSFORMATION)) {
            return null;
        }
        $half = $pointIsCentre ? 0.5 : 0.0;
        $controls = [];
        for ($i = 0; $i + 5 < count($ties); $i += 6) {
            if (is_finite($ties[$i] + $ties[$i + 1] + $ties[$i + 3] + $ties[$i + 4])) {
                $controls[] = [$ties[$i] + $half, $ties[$i + 1] + $half, $ties[$i + 3], $ties[$i + 4]];
            }
        }

        return count($controls) < 3 ? null : $controls;
    }

    /**
     * The affine transform that comes nearest to ground control points: good enough for a look in place.
     *
     * @param  list<array{float, float, float, float}>  $controls
     * @return array{float, float, float, float, float, float}
     */
    private static function through(array $controls): array
    {
        $size = 1.0;
        foreach ($controls as [$col, $row]) {
            $size = max($size, abs($col), abs($row));
        }
        $rows = array_map(fn (array $one): array => [1.0, $one[0] / $size, $one[1] / $size], $controls);
        [$x0, $y0] = [$controls[0][2], $controls[0][3]];
        $x = LeastSquares::solve($rows, array_map(fn (array $one): float => $one[2] - $x0, $controls));
        $y = LeastSquares::solve($rows, array_map(fn (array $one): float => $one[3] - $y0, $controls));
        if ($x === null || $y === null || abs($x[1] * $y[2] - $x[2] * $y[1]) < 1e-12 * (abs($x[1] * $y[2]) + abs($x[2] * $y[1]))) {
            return [0.0, 1.0, 0.0, 0.0, 0.0, 1.0];
        }
        $transform = [$x0 + $x[0], $x[1] / $size, $x[2] / $size, $y0 + $y[0], $y[1] / $size, $y[2] / $size];

        return Grid::makesSense($transform) ? $transform : [0.0, 1.0, 0.0, 0.0, 0.0, 1.0];
    }

    /** @return array{float, float, float, float, float, float} */
    private static function transform(Directory $directory, TiffBytes $source, bool $pointIsCentre): array
    {
        $matrix = $directory->has(Tag::TRANSFORMATION) ? $directory->doubles(Tag::TRANSFORMATION) : [];
        $scale = $directory->has(Tag::PIXEL_SCALE) ? $directory->doubles(Tag::PIXEL_SCALE) : [];
        $tie = $directory->has(Tag::TIE_POINT) ? $directory->doubles(Tag::TIE_POINT) : [];
        if (count($matrix) >= 8) {
            $t = [$matrix[3], $matrix[0], $matrix[1], $matrix[7], $matrix[4], $matrix[5]];
        } elseif (count($scale) >= 2 && count($tie) >= 6) {
            $t = [$tie[3] - $tie[0] * $scale[0], $scale[0], 0.0, $tie[4] + $tie[1] * $scale[1], 0.0, -$scale[1]];
        } else {
            return [0.0, 1.0, 0.0, 0.0, 0.0, 1.0];
        }
        if ($pointIsCentre) {
            $t[0] -= 0.5 * ($t[1] + $t[2]);
            $t[3] -= 0.5 * ($t[4] + $t[5]);
        }
        if (! Grid::makesSense($t)) {
            throw $source->broken('its georeference has a pixel of no size, or of one beyond any map');
        }

        return $t;
    }

    /**
     * @param  list<int>  $directory
     * @return list<int>
     */
    private static function asArea(array $directory): array
    {
        for ($i = 4; $i + 3 < count($directory); $i += 4) {
            if ($directory[$i] === self::RASTER_TYPE) {
                $directory[$i + 3] = 1;
            }
        }

        return $directory;
    }
}
