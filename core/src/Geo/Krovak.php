<?php

namespace Chorometra\Core\Geo;

/** Krovak's oblique conformal conic, oriented north: eastings and northings, both below 0 in its country. Source: EPSG Guidance Note 7-2, method 1041. */
final readonly class Krovak implements Projection
{
    private float $b;

    private float $t0;

    private float $n;

    private float $r0;

    private float $tilt;

    private float $parallel;

    /**
     * Angles in degrees, lengths in metres.
     *
     * @param  float  $azimuth  co-latitude of the cone's axis
     * @param  float  $parallel  pseudo standard parallel
     */
    public function __construct(
        float $latitude0,
        private float $longitude0,
        float $azimuth,
        float $parallel,
        float $scale,
        private float $falseEasting = 0.0,
        private float $falseNorthing = 0.0,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $phi = deg2rad($latitude0);
        $e2 = $ellipsoid->e2;
        $a = $ellipsoid->axis * sqrt(1 - $e2) / (1 - $e2 * sin($phi) ** 2);
        $this->b = sqrt(1 + $e2 * cos($phi) ** 4 / (1 - $e2));
        $gamma = asin(sin($phi) / $this->b);
        $this->t0 = tan(M_PI / 4 + $gamma / 2) * $ellipsoid->t($phi) ** $this->b;
        $this->parallel = deg2rad($parallel);
        $this->n = sin($this->parallel);
        $this->r0 = $scale * $a / tan($this->parallel);
        $this->tilt = deg2rad($azimuth);
    }

    public function forward(float $longitude, float $latitude): array
    {
        $t = $this->ellipsoid->t(deg2rad($latitude));
        if ($t < 1e-9 || $t > 1e9 || ! is_finite($t)) {
            return [NAN, NAN];
        }
        $u = 2 * (atan($this->t0 / $t ** $this->b) - M_PI / 4);
        $v = $this->b * Crs::turn(deg2rad($this->longitude0 - $longitude));
        $height = asin(cos($this->tilt) * sin($u) + sin($this->tilt) * cos($u) * cos($v));
        $turn = $this->n * asin(max(-1.0, min(1.0, cos($u) * sin($v) / cos($height))));
        $r = $this->r0 * (tan(M_PI / 4 + $this->parallel / 2) / tan($height / 2 + M_PI / 4)) ** $this->n;

        return [$this->falseEasting - $r * sin($turn), $this->falseNorthing - $r * cos($turn)];
    }

    public function inverse(float $x, float $y): array
    {
        $x = $this->falseEasting - $x;
        $y = $this->falseNorthing - $y;
        $r = hypot($x, $y);
        if ($r < 1e-6) {
            return [NAN, NAN];
        }
        $turn = atan2($x, $y) / $this->n;
        $height = 2 * (atan(($this->r0 / $r) ** (1 / $this->n) * tan(M_PI / 4 + $this->parallel / 2)) - M_PI / 4);
        $u = asin(cos($this->tilt) * sin($height) - sin($this->tilt) * cos($height) * cos($turn));
        $v = asin(max(-1.0, min(1.0, cos($height) * sin($turn) / cos($u))));
        $latitude = $this->ellipsoid->latitudeOfT(($this->t0 / tan($u / 2 + M_PI / 4)) ** (1 / $this->b));

        return [$this->longitude0 - rad2deg($v / $this->b), rad2deg($latitude)];
    }
}
