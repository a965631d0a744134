<?php

namespace Chorometra\Core\Geo;

/**
 * The outline of a grid on the Earth in longitude and latitude on WGS 84, as GeoJSON wants it: cut at 180°, taken to the pole where it holds one.
 *
 * Source: RFC 7946, sections 3.1.9 and 5.
 */
final class Footprint
{
    /** Degrees that a side may span before it is told by more than its ends. */
    private const SPAN = 2.0;

    private const POINTS = 16;

    /** @return array{geometry: array{type: string, coordinates: list<mixed>}, bbox: list<float>}|null a bbox whose west is above its east goes across 180° */
    public static function of(Grid $grid): ?array
    {
        $ring = self::ring($grid);
        if ($ring === null) {
            return null;
        }
        $latitudes = array_column($ring, 1);
        $last = $ring[count($ring) - 1];
        if (abs($last[0] - $ring[0][0]) > 180.0) {
            return self::polar($ring, array_sum($latitudes) < 0 ? -90.0 : 90.0);
        }
        [$west, $east] = [min(array_column($ring, 0)), max(array_column($ring, 0))];
        $shift = 360.0 * floor(($west + 180.0) / 360.0);
        $ring = array_map(fn (array $place): array => [$place[0] - $shift, $place[1]], $ring);
        [$west, $east] = [$west - $shift, $east - $shift];
        $bounds = fn (float $from, float $to): array => array_map(fn (float $at): float => round($at, 7), [$from, min($latitudes), $to, max($latitudes)]);
        if ($east <= 180.0) {
            return ['geometry' => ['type' => 'Polygon', 'coordinates' => [self::rounded($ring)]], 'bbox' => $bounds($west, $east)];
        }
        $parts = [self::side($ring, 1), array_map(fn (array $place): array => [$place[0] - 360.0, $place[1]], self::side($ring, -1))];

        return [
            'geometry' => ['type' => 'MultiPolygon', 'coordinates' => array_map(fn (array $part): array => [self::rounded($part)], $parts)],
            'bbox' => $bounds($west, $east - 360.0),
        ];
    }

    /** @return list<array{float, float}>|null a closed ring with the inside to the left; longitudes go on beyond ±180 without a leap */
    private static function ring(Grid $grid): ?array
    {
        $projection = Crs::ofGrid($grid);
        if ($projection === null) {
            return null;
        }
        $corners = [[0, 0], [0, $grid->height], [$grid->width, $grid->height], [$grid->width, 0], [0, 0]];
        $t = $grid->transform;
        if ($t[1] * $t[5] - $t[2] * $t[4] > 0) {
            $corners = array_reverse($corners);
        }
        $ring = [];
        for ($k = 0; $k < 4; $k++) {
            [$from, $to] = [$corners[$k], $corners[$k + 1]];
            [$a, $b] = [$projection->inverse(...$grid->toMap(...$from)), $projection->inverse(...$grid->toMap(...$to))];
            $points = max(abs($a[0] - $b[0]), abs($a[1] - $b[1])) > self::SPAN ? self::POINTS : 1;
            for ($i = 0; $i < $points; $i++) {
                $ring[] = $projection->inverse(...$grid->toMap($from[0] + ($to[0] - $from[0]) * $i / $points, $from[1] + ($to[1] - $from[1]) * $i / $points));
            }
        }
        $ring[] = $ring[0];
        $before = null;
        foreach ($ring as $k => [$longitude, $latitude]) {
            if (! is_finite($longitude) || ! is_finite($latitude)) {
                return null;
            }
            $longitude = $before === null || $projection instanceof Geographic ? $longitude : $before + rad2deg(Crs::turn(deg2rad($longitude - $before)));
            $ring[$k] = [$longitude, max(-90.0, min(90.0, $latitude))];
            $before = $longitude;
        }

        return $ring;
    }

    /**
     * A ring around a pole: from 180° to 180°, and back along the pole.
     *
     * @param  list<array{float, float}>  $ring
     * @return array{geometry: array{type: string, coordinates: list<mixed>}, bbox: list<float>}
     */
    private static function polar(array $ring, float $pole): array
    {
        // once round from the first place beyond 180° on
        $line = array_slice($ring, 0, -1);
        $eastwards = $ring[count($ring) - 1][0] > $ring[0][0];
        $line = $eastwards ? $line : array_reverse($line);
        $turned = array_map(fn (array $place): array => [$place[0] - 360.0 * floor(($place[0] + 180.0) / 360.0), $place[1]], $line);
        usort($turned, fn (array $one, array $other): int => $one[0] <=> $other[0]);
        [$first, $last] = [$turned[0], $turned[count($turned) - 1]];
        $share = (180.0 - $last[0]) / max(1e-9, $first[0] + 360.0 - $last[0]);
        $edge = $last[1] + $share * ($first[1] - $last[1]);
        $places = [[-180.0, $edge], ...$turned, [180.0, $edge], [180.0, $pole], [-180.0, $pole], [-180.0, $edge]];
        $latitudes = array_column($places, 1);

        return [
            'geometry' => ['type' => 'Polygon', 'coordinates' => [self::rounded($pole > 0 ? $places : array_reverse($places))]],
            'bbox' => [-180.0, round(min($latitudes), 7), 180.0, round(max($latitudes), 7)],
        ];
    }

    /**
     * The part of a ring on one side of 180° (Sutherland & Hodgman 1974, Communications of the ACM 17:32–42).
     *
     * @param  list<array{float, float}>  $ring  closed
     * @param  int  $sign  1 for the west of it, −1 for the east
     * @return list<array{float, float}> closed
     */
    private static function side(array $ring, int $sign): array
    {
        $out = [];
        for ($k = 1; $k < count($ring); $k++) {
            [$from, $to] = [$ring[$k - 1], $ring[$k]];
            [$a, $b] = [$sign * (180.0 - $from[0]), $sign * (180.0 - $to[0])];
            if ($a >= 0) {
                $out[] = $from;
            }
            if (($a > 0 && $b < 0) || ($a < 0 && $b > 0)) {
                $out[] = [180.0, $from[1] + ($to[1] - $from[1]) * $a / ($a - $b)];
            }
        }
        $out[] = $out[0];

        return $out;
    }

    /**
     * @param  list<array{float, float}>  $ring
     * @return list<array{float, float}>
     */
    private static function rounded(array $ring): array
    {
        return array_map(fn (array $place): array => [round($place[0], 7), round($place[1], 7)], $ring);
    }
}
