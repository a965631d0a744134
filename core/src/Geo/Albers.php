<?php

namespace Chorometra\Core\Geo;

/** Albers equal-area conic. Source: Snyder 1987, equations 14-1 to 14-21; EPSG method 9822. */
final readonly class Albers implements Projection
{
    private float $n;

    private float $c;

    private float $rho0;

    /** Angles in degrees, lengths in metres. */
    public function __construct(
        float $latitude0,
        private float $longitude0,
        float $parallel1,
        float $parallel2,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $phi1 = deg2rad($parallel1);
        $phi2 = deg2rad($parallel2);
        $m1 = $ellipsoid->m($phi1);
        $this->n = abs($phi1 - $phi2) < 1e-12 ? sin($phi1) : ($m1 ** 2 - $ellipsoid->m($phi2) ** 2) / ($ellipsoid->q($phi2) - $ellipsoid->q($phi1));
        $this->c = $m1 ** 2 + $this->n * $ellipsoid->q($phi1);
        $this->rho0 = $this->rho($ellipsoid->q(deg2rad($latitude0)));
    }

    public function forward(float $longitude, float $latitude): array
    {
        $rho = $this->rho($this->ellipsoid->q(deg2rad($latitude)));
        $theta = $this->n * Crs::turn(deg2rad($longitude - $this->longitude0));

        return [$this->falseEasting + $rho * sin($theta), $this->falseNorthing + $this->rho0 - $rho * cos($theta)];
    }

    public function inverse(float $x, float $y): array
    {
        $sign = $this->n < 0 ? -1.0 : 1.0;
        $x -= $this->falseEasting;
        $y = $this->rho0 - ($y - $this->falseNorthing);
        $q = ($this->c - ($x ** 2 + $y ** 2) * ($this->n / $this->ellipsoid->axis) ** 2) / $this->n;

        return [$this->longitude0 + rad2deg(atan2($sign * $x, $sign * $y) / $this->n), rad2deg($this->ellipsoid->latitudeOfQ($q))];
    }

    private function rho(float $q): float
    {
        return $this->ellipsoid->axis * sqrt(max(0.0, $this->c - $this->n * $q)) / $this->n;
    }
}
