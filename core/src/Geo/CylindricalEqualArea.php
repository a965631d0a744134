<?php

namespace Chorometra\Core\Geo;

/** Lambert's cylindrical equal-area projection. Source: Snyder 1987, equations 10-13 to 10-20; EPSG method 9835. */
final readonly class CylindricalEqualArea implements Projection
{
    private float $scale;

    /** Angles in degrees, lengths in metres. */
    public function __construct(
        private float $longitude0,
        float $parallel,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $this->scale = $ellipsoid->m(deg2rad($parallel));
    }

    public function forward(float $longitude, float $latitude): array
    {
        $axis = $this->ellipsoid->axis;

        return [
            $this->falseEasting + $axis * $this->scale * Crs::turn(deg2rad($longitude - $this->longitude0)),
            $this->falseNorthing + 0.5 * $axis * $this->ellipsoid->q(deg2rad($latitude)) / $this->scale,
        ];
    }

    public function inverse(float $x, float $y): array
    {
        $axis = $this->ellipsoid->axis;

        return [
            $this->longitude0 + rad2deg(($x - $this->falseEasting) / ($axis * $this->scale)),
            rad2deg($this->ellipsoid->latitudeOfQ(2 * ($y - $this->falseNorthing) * $this->scale / $axis)),
        ];
    }
}
