<?php

namespace Chorometra\Core\Geo;

/** The shortest way on an ellipsoid. Source: Vincenty 1975, Survey Review 23:88–93, the inverse solution. */
final class Geodesic
{
    private const ROUNDS = 200;

    /**
     * Metres between two places; for places nearly opposite each other on the Earth, for which the method finds no end, half the way round it.
     *
     * @param  array{float, float}  $from  longitude and latitude in degrees
     * @param  array{float, float}  $to
     */
    public static function distance(array $from, array $to, Ellipsoid $ellipsoid): float
    {
        $f = $ellipsoid->inverseFlattening > 0 ? 1 / $ellipsoid->inverseFlattening : 0.0;
        $a = $ellipsoid->axis;
        $b = $a * (1 - $f);
        $l = Crs::turn(deg2rad($to[0] - $from[0]));
        $u1 = atan((1 - $f) * tan(deg2rad($from[1])));
        $u2 = atan((1 - $f) * tan(deg2rad($to[1])));
        [$sin1, $cos1, $sin2, $cos2] = [sin($u1), cos($u1), sin($u2), cos($u2)];
        $lambda = $l;
        for ($round = 0; $round < self::ROUNDS; $round++) {
            $sine = sqrt(($cos2 * sin($lambda)) ** 2 + ($cos1 * $sin2 - $sin1 * $cos2 * cos($lambda)) ** 2);
            if ($sine < 1e-15) {
                return 0.0;
            }
            $cosine = $sin1 * $sin2 + $cos1 * $cos2 * cos($lambda);
            $sigma = atan2($sine, $cosine);
            $sinAlpha = $cos1 * $cos2 * sin($lambda) / $sine;
            $cosSquare = 1 - $sinAlpha ** 2;
            $cosMiddle = $cosSquare > 1e-12 ? $cosine - 2 * $sin1 * $sin2 / $cosSquare : 0.0;
            $c = $f / 16 * $cosSquare * (4 + $f * (4 - 3 * $cosSquare));
            $before = $lambda;
            $lambda = $l + (1 - $c) * $f * $sinAlpha * ($sigma + $c * $sine * ($cosMiddle + $c * $cosine * (-1 + 2 * $cosMiddle ** 2)));
            if (abs($lambda - $before) < 1e-13) {
                $square = ($cosSquare * ($a ** 2 - $b ** 2)) / $b ** 2;
                $big = 1 + ($square / 16384) * (4096 + $square * (-768 + $square * (320 - 175 * $square)));
                $small = ($square / 1024) * (256 + $square * (-128 + $square * (74 - 47 * $square)));
                $change =
                    $small *
                    $sine *
                    ($cosMiddle +
                        ($small / 4) * ($cosine * (-1 + 2 * $cosMiddle ** 2) - ($small / 6) * $cosMiddle * (-3 + 4 * $sine ** 2) * (-3 + 4 * $cosMiddle ** 2)));

                return $b * $big * ($sigma - $change);
            }
            if (abs($lambda) > M_PI) {
                break;
            }
        }

        return M_PI * $b;
    }
}
