<?php

namespace Chorometra\Core\Geo;

/**
 * Polar stereographic by scale at the pole (EPSG variant A) or by standard parallel (variant B). Source: Snyder 1987, equations 21-33 to 21-40; EPSG
 * methods 9810 and 9829.
 */
final readonly class PolarStereographic implements Projection
{
    private float $factor;

    /**
     * Angles in degrees, lengths in metres.
     *
     * @param  float  $parallel  the standard parallel; 90 or -90 with a scale at the pole
     */
    public function __construct(
        private float $parallel,
        private float $longitude0,
        float $scale = 1.0,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $e = $ellipsoid->e;
        $phi = deg2rad(abs($parallel));
        $this->factor = abs(abs($parallel) - 90) < 1e-9
            ? 2 * $ellipsoid->axis * $scale / sqrt((1 + $e) ** (1 + $e) * (1 - $e) ** (1 - $e))
            : $scale * $ellipsoid->axis * $ellipsoid->m($phi) / $ellipsoid->t($phi);
    }

    public function forward(float $longitude, float $latitude): array
    {
        $south = $this->parallel < 0;
        $t = $this->ellipsoid->t(deg2rad($south ? -$latitude : $latitude));
        if (! is_finite($t) || abs($t) > 1e9) {
            return [NAN, NAN];
        }
        $rho = $this->factor * $t;
        $lambda = deg2rad($longitude - $this->longitude0);

        return [$this->falseEasting + $rho * sin($lambda), $this->falseNorthing + ($south ? 1 : -1) * $rho * cos($lambda)];
    }

    public function inverse(float $x, float $y): array
    {
        $south = $this->parallel < 0;
        $x -= $this->falseEasting;
        $y -= $this->falseNorthing;
        $latitude = rad2deg($this->ellipsoid->latitudeOfT(hypot($x, $y) / $this->factor));

        return [rad2deg(Crs::turn(deg2rad($this->longitude0) + atan2($x, $south ? $y : -$y))), $south ? -$latitude : $latitude];
    }
}
