<?php

namespace Chorometra\Core\Geo;

/** Lambert azimuthal equal area, oblique and polar. Source: Snyder 1987, equations 24-17 to 24-34; EPSG method 9820. */
final readonly class LambertAzimuthal implements Projection
{
    private float $qp;

    private float $radius;

    private float $beta0;

    private float $d;

    /** Angles in degrees, lengths in metres. */
    public function __construct(
        private float $latitude0,
        private float $longitude0,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $this->qp = $ellipsoid->q(M_PI / 2);
        $this->radius = $ellipsoid->axis * sqrt($this->qp / 2);
        $phi0 = deg2rad($latitude0);
        $this->beta0 = asin(max(-1.0, min(1.0, $ellipsoid->q($phi0) / $this->qp)));
        $this->d = $this->isPolar() ? 1.0 : $ellipsoid->axis * $ellipsoid->m($phi0) / ($this->radius * cos($this->beta0));
    }

    public function forward(float $longitude, float $latitude): array
    {
        $lambda = Crs::turn(deg2rad($longitude - $this->longitude0));
        $q = $this->ellipsoid->q(deg2rad($latitude));
        if ($this->isPolar()) {
            $north = $this->latitude0 > 0;
            $rho = $this->ellipsoid->axis * sqrt(max(0.0, $north ? $this->qp - $q : $this->qp + $q));

            return [$this->falseEasting + $rho * sin($lambda), $this->falseNorthing + ($north ? -1 : 1) * $rho * cos($lambda)];
        }
        $beta = asin(max(-1.0, min(1.0, $q / $this->qp)));
        $under = 1 + sin($this->beta0) * sin($beta) + cos($this->beta0) * cos($beta) * cos($lambda);
        if ($under < 1e-12) {
            return [NAN, NAN];
        }
        $b = $this->radius * sqrt(2 / $under);

        return [
            $this->falseEasting + $b * $this->d * cos($beta) * sin($lambda),
            $this->falseNorthing + $b / $this->d * (cos($this->beta0) * sin($beta) - sin($this->beta0) * cos($beta) * cos($lambda)),
        ];
    }

    public function inverse(float $x, float $y): array
    {
        $x -= $this->falseEasting;
        $y -= $this->falseNorthing;
        if ($this->isPolar()) {
            $north = $this->latitude0 > 0;
            $q = $this->qp - ($x ** 2 + $y ** 2) / $this->ellipsoid->axis ** 2;

            return [$this->longitude0 + rad2deg(atan2($x, $north ? -$y : $y)), rad2deg($this->ellipsoid->latitudeOfQ($north ? $q : -$q))];
        }
        $rho = hypot($x / $this->d, $this->d * $y);
        if ($rho < 1e-10) {
            return [$this->longitude0, $this->latitude0];
        }
        if ($rho > 2 * $this->radius) {
            return [NAN, NAN];
        }
        $c = 2 * asin($rho / (2 * $this->radius));
        $q = $this->qp * (cos($c) * sin($this->beta0) + $this->d * $y * sin($c) * cos($this->beta0) / $rho);
        $lambda = atan2($x * sin($c), $this->d * $rho * cos($this->beta0) * cos($c) - $this->d ** 2 * $y * sin($this->beta0) * sin($c));

        return [$this->longitude0 + rad2deg($lambda), rad2deg($this->ellipsoid->latitudeOfQ($q))];
    }

    private function isPolar(): bool
    {
        return abs(abs($this->latitude0) - 90) < 1e-9;
    }
}
