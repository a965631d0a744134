<?php

namespace Chorometra\Core\Geo;

/** Oblique stereographic by way of Gauss's sphere. Source: EPSG Guidance Note 7-2, method 9809. */
final readonly class ObliqueStereographic implements Projection
{
    private float $n;

    private float $c;

    private float $chi0;

    private float $diameter;

    /** Angles in degrees, lengths in metres. */
    public function __construct(
        float $latitude0,
        private float $longitude0,
        float $scale,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $phi = deg2rad($latitude0);
        $sine = sin($phi);
        $e2 = $ellipsoid->e2;
        $this->n = sqrt(1 + $e2 * cos($phi) ** 4 / (1 - $e2));
        $w = $ellipsoid->t($phi) ** (-2 * $this->n);
        $chi = ($w - 1) / ($w + 1);
        $this->c = ($this->n + $sine) * (1 - $chi) / (($this->n - $sine) * (1 + $chi));
        $this->chi0 = asin(($this->c * $w - 1) / ($this->c * $w + 1));
        $this->diameter = 2 * $scale * $ellipsoid->axis * sqrt(1 - $e2) / (1 - $e2 * $sine ** 2);
    }

    public function forward(float $longitude, float $latitude): array
    {
        $t = $this->ellipsoid->t(deg2rad($latitude));
        if ($t < 1e-9 || $t > 1e9 || ! is_finite($t)) {
            return [NAN, NAN];
        }
        $w = $this->c * $t ** (-2 * $this->n);
        $chi = asin(($w - 1) / ($w + 1));
        $lambda = $this->n * Crs::turn(deg2rad($longitude - $this->longitude0));
        $b = 1 + sin($chi) * sin($this->chi0) + cos($chi) * cos($this->chi0) * cos($lambda);
        if ($b < 1e-9) {
            return [NAN, NAN];
        }

        return [
            $this->falseEasting + $this->diameter * cos($chi) * sin($lambda) / $b,
            $this->falseNorthing + $this->diameter * (sin($chi) * cos($this->chi0) - cos($chi) * sin($this->chi0) * cos($lambda)) / $b,
        ];
    }

    public function inverse(float $x, float $y): array
    {
        $x -= $this->falseEasting;
        $y -= $this->falseNorthing;
        $rho = hypot($x, $y);
        if ($rho < 1e-9) {
            [$chi, $lambda] = [$this->chi0, 0.0];
        } else {
            $arc = 2 * atan($rho / $this->diameter);
            $chi = asin(cos($arc) * sin($this->chi0) + $y * sin($arc) * cos($this->chi0) / $rho);
            $lambda = atan2($x * sin($arc), $rho * cos($this->chi0) * cos($arc) - $y * sin($this->chi0) * sin($arc));
        }
        $t = ((1 + sin($chi)) / ($this->c * (1 - sin($chi)))) ** (-0.5 / $this->n);

        return [$this->longitude0 + rad2deg($lambda / $this->n), rad2deg($this->ellipsoid->latitudeOfT($t))];
    }
}
