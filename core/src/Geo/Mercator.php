<?php

namespace Chorometra\Core\Geo;

/** Mercator on an ellipsoid, by scale at the equator or by standard parallel. Source: Snyder 1987, equations 7-6 to 7-9; EPSG methods 9804 and 9805. */
final readonly class Mercator implements Projection
{
    private float $radius;

    /** Angles in degrees, lengths in metres. */
    public function __construct(
        private float $longitude0,
        float $parallel = 0.0,
        float $scale = 1.0,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $this->radius = $ellipsoid->axis * $scale * $ellipsoid->m(deg2rad($parallel));
    }

    public function forward(float $longitude, float $latitude): array
    {
        $t = $this->ellipsoid->t(deg2rad($latitude));
        if ($t <= 0 || $t < 1e-9 || $t > 1e9 || ! is_finite($t)) {
            return [NAN, NAN];
        }

        return [$this->falseEasting + $this->radius * Crs::turn(deg2rad($longitude - $this->longitude0)), $this->falseNorthing - $this->radius * log($t)];
    }

    public function inverse(float $x, float $y): array
    {
        return [
            $this->longitude0 + rad2deg(($x - $this->falseEasting) / $this->radius),
            rad2deg($this->ellipsoid->latitudeOfT(exp(($this->falseNorthing - $y) / $this->radius))),
        ];
    }
}
