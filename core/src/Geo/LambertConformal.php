<?php

namespace Chorometra\Core\Geo;

/** Lambert conformal conic with one or two standard parallels. Source: Snyder 1987, equations 15-1 to 15-11; EPSG methods 9801 and 9802. */
final readonly class LambertConformal implements Projection
{
    private float $n;

    private float $f;

    private float $rho0;

    /**
     * Angles in degrees, lengths in metres.
     *
     * @param  float  $scale  on the standard parallel, where there is one
     */
    public function __construct(
        float $latitude0,
        private float $longitude0,
        float $parallel1,
        float $parallel2,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        float $scale = 1.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $phi1 = deg2rad($parallel1);
        $phi2 = deg2rad($parallel2);
        $this->n =
            abs($phi1 - $phi2) < 1e-12
                ? sin($phi1)
                : (log($ellipsoid->m($phi1)) - log($ellipsoid->m($phi2))) / (log($ellipsoid->t($phi1)) - log($ellipsoid->t($phi2)));
        $this->f = ($scale * $ellipsoid->axis * $ellipsoid->m($phi1)) / ($this->n * $ellipsoid->t($phi1) ** $this->n);
        $this->rho0 = abs(abs($latitude0) - 90) < 1e-9 ? 0.0 : $this->f * $ellipsoid->t(deg2rad($latitude0)) ** $this->n;
    }

    public function forward(float $longitude, float $latitude): array
    {
        $t = $this->ellipsoid->t(deg2rad($latitude));
        if ($t < 0 || ! is_finite($t)) {
            return [NAN, NAN];
        }
        $rho = $this->f * $t ** $this->n;
        $theta = $this->n * Crs::turn(deg2rad($longitude - $this->longitude0));

        return [$this->falseEasting + $rho * sin($theta), $this->falseNorthing + $this->rho0 - $rho * cos($theta)];
    }

    public function inverse(float $x, float $y): array
    {
        $sign = $this->n < 0 ? -1.0 : 1.0;
        $x = $sign * ($x - $this->falseEasting);
        $y = $sign * ($this->rho0 - ($y - $this->falseNorthing));
        $rho = hypot($x, $y);
        $t = ($rho / abs($this->f)) ** (1 / $this->n);

        return [$this->longitude0 + rad2deg(atan2($x, $y) / $this->n), rad2deg($this->ellipsoid->latitudeOfT($t))];
    }
}
