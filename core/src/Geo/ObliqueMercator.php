<?php

namespace Chorometra\Core\Geo;

/**
 * Hotine's oblique Mercator, counted from the natural origin (variant A) or from the centre (variant B, the Swiss one with an azimuth of 90°).
 *
 * Source: EPSG Guidance Note 7-2, methods 9812 and 9815; Snyder 1987, equations 9-6 to 9-47.
 */
final readonly class ObliqueMercator implements Projection
{
    private float $a;

    private float $b;

    private float $h;

    /** The angle of the initial line at the aposphere's equator. */
    private float $gamma0;

    /** Where the initial line meets that equator, in radians. */
    private float $lambda0;

    private float $skew;

    /** Along the line from the natural origin to the centre. */
    private float $origin;

    /**
     * Angles in degrees, lengths in metres.
     *
     * @param  float  $skew  from the line to the grid's north; the azimuth where it is not told
     */
    public function __construct(
        float $latitude0,
        float $longitude0,
        float $azimuth,
        float $skew,
        float $scale,
        private float $falseEasting,
        private float $falseNorthing,
        bool $fromCentre,
        private Ellipsoid $ellipsoid = new Ellipsoid,
    ) {
        $phi = deg2rad($latitude0);
        $sign = $latitude0 < 0 ? -1.0 : 1.0;
        $e2 = $ellipsoid->e2;
        $flat = 1 - $e2 * sin($phi) ** 2;
        $this->b = sqrt(1 + $e2 * cos($phi) ** 4 / (1 - $e2));
        $this->a = $ellipsoid->axis * $this->b * $scale * sqrt(1 - $e2) / $flat;
        $d = max(1.0, $this->b * sqrt(1 - $e2) / (cos($phi) * sqrt($flat)));
        $f = $d + sqrt($d ** 2 - 1) * $sign;
        $this->h = $f * $ellipsoid->t($phi) ** $this->b;
        $this->gamma0 = asin(sin(deg2rad($azimuth)) / $d);
        // at 90° the arc sine has lost its digits
        $isAcross = abs($azimuth - 90) < 1e-9;
        $reach = $isAcross ? $sign * M_PI / 2 : asin(($f - 1 / $f) / 2 * tan($this->gamma0));
        $this->lambda0 = deg2rad($longitude0) - $reach / $this->b;
        $along = $isAcross ? M_PI / 2 : atan2(sqrt($d ** 2 - 1), cos(deg2rad($azimuth)));
        $this->origin = $fromCentre ? $sign * $this->a / $this->b * $along : 0.0;
        $this->skew = deg2rad($skew);
    }

    public function forward(float $longitude, float $latitude): array
    {
        $t = $this->ellipsoid->t(deg2rad($latitude));
        if ($t < 1e-9 || $t > 1e9 || ! is_finite($t)) {
            return [NAN, NAN];
        }
        $q = $this->h / $t ** $this->b;
        [$s, $tt] = [($q - 1 / $q) / 2, ($q + 1 / $q) / 2];
        $angle = $this->b * Crs::turn(deg2rad($longitude) - $this->lambda0);
        $v = sin($angle);
        $u = ($s * sin($this->gamma0) - $v * cos($this->gamma0)) / $tt;
        if (abs($u) >= 1) {
            return [NAN, NAN];
        }
        $across = $this->a * log((1 - $u) / (1 + $u)) / (2 * $this->b);
        $along = $this->a * atan2($s * cos($this->gamma0) + $v * sin($this->gamma0), cos($angle)) / $this->b - $this->origin;

        return [
            $this->falseEasting + $across * cos($this->skew) + $along * sin($this->skew),
            $this->falseNorthing + $along * cos($this->skew) - $across * sin($this->skew),
        ];
    }

    public function inverse(float $x, float $y): array
    {
        $x -= $this->falseEasting;
        $y -= $this->falseNorthing;
        $across = $x * cos($this->skew) - $y * sin($this->skew);
        $along = ($y * cos($this->skew) + $x * sin($this->skew) + $this->origin) * $this->b / $this->a;
        $q = exp(-$this->b * $across / $this->a);
        [$s, $t] = [($q - 1 / $q) / 2, ($q + 1 / $q) / 2];
        $v = sin($along);
        $u = ($v * cos($this->gamma0) + $s * sin($this->gamma0)) / $t;
        if (abs($u) >= 1) {
            return [NAN, NAN];
        }
        $latitude = $this->ellipsoid->latitudeOfT(($this->h / sqrt((1 + $u) / (1 - $u))) ** (1 / $this->b));

        return [rad2deg(Crs::turn($this->lambda0 - atan2($s * cos($this->gamma0) - $v * sin($this->gamma0), cos($along)) / $this->b)), rad2deg($latitude)];
    }
}
