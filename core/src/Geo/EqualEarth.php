<?php

namespace Chorometra\Core\Geo;

/**
 * The Equal Earth projection. Source: Šavrič, Patterson & Jenny 2018, International Journal of Geographical Information Science 33:454–465; EPSG
 * method 1078.
 */
final readonly class EqualEarth implements Projection
{
    private const A = [1.340264, -0.081106, 0.000893, 0.003796];

    private float $radius;

    /** Angles in degrees, lengths in metres. */
    public function __construct(
        private float $longitude0,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        // the radius of the sphere with the ellipsoid's area
        $this->radius = $ellipsoid->axis * sqrt($ellipsoid->q(M_PI / 2) / 2);
    }

    public function forward(float $longitude, float $latitude): array
    {
        $theta = asin(sqrt(3) / 2 * $this->ellipsoid->q(deg2rad($latitude)) / $this->ellipsoid->q(M_PI / 2));
        $lambda = Crs::turn(deg2rad($longitude - $this->longitude0));

        return [
            $this->falseEasting + $this->radius * 2 * sqrt(3) * $lambda * cos($theta) / (3 * self::slope($theta)),
            $this->falseNorthing + $this->radius * self::height($theta),
        ];
    }

    public function inverse(float $x, float $y): array
    {
        $y = ($y - $this->falseNorthing) / $this->radius;
        $theta = $y / self::A[0];
        for ($round = 0; $round < 20; $round++) {
            $change = (self::height($theta) - $y) / self::slope($theta);
            $theta -= $change;
            if (abs($change) < 1e-15) {
                break;
            }
        }
        $lambda = ($x - $this->falseEasting) / $this->radius * 3 * self::slope($theta) / (2 * sqrt(3) * cos($theta));
        if (abs($lambda) > M_PI + 1e-9) {
            return [NAN, NAN];
        }

        return [$this->longitude0 + rad2deg($lambda), rad2deg($this->ellipsoid->latitudeOfQ($this->ellipsoid->q(M_PI / 2) * 2 / sqrt(3) * sin($theta)))];
    }

    private static function height(float $theta): float
    {
        [$a, $b, $c, $d] = self::A;
        $square = $theta ** 2;

        return $theta * ($a + $b * $square + $square ** 3 * ($c + $d * $square));
    }

    private static function slope(float $theta): float
    {
        [$a, $b, $c, $d] = self::A;
        $square = $theta ** 2;

        return $a + 3 * $b * $square + $square ** 3 * (7 * $c + 9 * $d * $square);
    }
}
