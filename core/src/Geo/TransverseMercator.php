<?php

namespace Chorometra\Core\Geo;

/**
 * Transverse Mercator on an ellipsoid by Krüger's series to the sixth order: below a micrometre within a UTM zone.
 *
 * Source: Karney 2011, Transverse Mercator with an accuracy of a few nanometers, Journal of Geodesy 85:475–485, equations 35 and 36.
 */
final readonly class TransverseMercator implements Projection
{
    private float $radius;

    private float $eccentricity;

    /** @var list<float> */
    private array $alpha;

    /** @var list<float> */
    private array $beta;

    /** Northing of the latitude of origin, over scale and radius. */
    private float $origin;

    /** Angles in degrees, lengths in metres. The default ellipsoid is WGS 84. */
    public function __construct(
        private float $meridian,
        private float $scale = 0.9996,
        private float $falseEasting = 500_000.0,
        private float $falseNorthing = 0.0,
        float $axis = 6_378_137.0,
        float $inverseFlattening = 298.257223563,
        float $latitude0 = 0.0,
    ) {
        $f = $inverseFlattening > 0 ? 1 / $inverseFlattening : 0.0;
        $n = $f / (2 - $f);
        $this->eccentricity = sqrt($f * (2 - $f));
        $this->radius = $axis / (1 + $n) * (1 + $n ** 2 / 4 + $n ** 4 / 64 + $n ** 6 / 256);
        $this->alpha = [
            $n / 2 - 2 / 3 * $n ** 2 + 5 / 16 * $n ** 3 + 41 / 180 * $n ** 4 - 127 / 288 * $n ** 5 + 7891 / 37800 * $n ** 6,
            13 / 48 * $n ** 2 - 3 / 5 * $n ** 3 + 557 / 1440 * $n ** 4 + 281 / 630 * $n ** 5 - 1983433 / 1935360 * $n ** 6,
            61 / 240 * $n ** 3 - 103 / 140 * $n ** 4 + 15061 / 26880 * $n ** 5 + 167603 / 181440 * $n ** 6,
            49561 / 161280 * $n ** 4 - 179 / 168 * $n ** 5 + 6601661 / 7257600 * $n ** 6,
            34729 / 80640 * $n ** 5 - 3418889 / 1995840 * $n ** 6,
            212378941 / 319334400 * $n ** 6,
        ];
        $this->beta = [
            $n / 2 - 2 / 3 * $n ** 2 + 37 / 96 * $n ** 3 - 1 / 360 * $n ** 4 - 81 / 512 * $n ** 5 + 96199 / 604800 * $n ** 6,
            1 / 48 * $n ** 2 + 1 / 15 * $n ** 3 - 437 / 1440 * $n ** 4 + 46 / 105 * $n ** 5 - 1118711 / 3870720 * $n ** 6,
            17 / 480 * $n ** 3 - 37 / 840 * $n ** 4 - 209 / 4480 * $n ** 5 + 5569 / 90720 * $n ** 6,
            4397 / 161280 * $n ** 4 - 11 / 504 * $n ** 5 - 830251 / 7257600 * $n ** 6,
            4583 / 161280 * $n ** 5 - 108847 / 3991680 * $n ** 6,
            20648693 / 638668800 * $n ** 6,
        ];
        $this->origin = $latitude0 === 0.0 ? 0.0 : $this->unplaced($this->meridian, $latitude0)[1];
    }

    public function forward(float $longitude, float $latitude): array
    {
        [$x, $y] = $this->unplaced($longitude, $latitude);

        return [$this->falseEasting + $this->scale * $this->radius * $x, $this->falseNorthing + $this->scale * $this->radius * ($y - $this->origin)];
    }

    /** @return array{float, float} before scale and origin */
    private function unplaced(float $longitude, float $latitude): array
    {
        $lambda = deg2rad($longitude - $this->meridian);
        $tau = tan(deg2rad($latitude));
        $sigma = sinh($this->eccentricity * atanh($this->eccentricity * $tau / hypot(1, $tau)));
        $conformal = $tau * hypot(1, $sigma) - $sigma * hypot(1, $tau);
        $xi = atan2($conformal, cos($lambda));
        $eta = asinh(sin($lambda) / hypot($conformal, cos($lambda)));
        $x = $eta;
        $y = $xi;
        foreach ($this->alpha as $index => $alpha) {
            $k = 2 * ($index + 1);
            $y += $alpha * sin($k * $xi) * cosh($k * $eta);
            $x += $alpha * cos($k * $xi) * sinh($k * $eta);
        }

        return [$x, $y];
    }

    public function inverse(float $easting, float $northing): array
    {
        $eta = ($easting - $this->falseEasting) / ($this->scale * $this->radius);
        $xi = ($northing - $this->falseNorthing) / ($this->scale * $this->radius) + $this->origin;
        $x = $eta;
        $y = $xi;
        foreach ($this->beta as $index => $beta) {
            $k = 2 * ($index + 1);
            $y -= $beta * sin($k * $xi) * cosh($k * $eta);
            $x -= $beta * cos($k * $xi) * sinh($k * $eta);
        }
        $conformal = sin($y) / hypot(sinh($x), cos($y));
        $e = $this->eccentricity;
        $tau = $conformal / (1 - $e ** 2);
        for ($round = 0; $round < 5; $round++) {
            $sigma = sinh($e * atanh($e * $tau / hypot(1, $tau)));
            $guess = $tau * hypot(1, $sigma) - $sigma * hypot(1, $tau);
            $tau += ($conformal - $guess) / hypot(1, $guess) * (1 + (1 - $e ** 2) * $tau ** 2) / ((1 - $e ** 2) * hypot(1, $tau));
        }

        return [$this->meridian + rad2deg(atan2(sinh($x), cos($y))), rad2deg(atan($tau))];
    }
}
