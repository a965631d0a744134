<?php

namespace Chorometra\Core\Geo;

/**
 * The figure of the Earth, and the latitudes on it that projections are built from.
 *
 * Source: Snyder 1987, Map Projections – A Working Manual, USGS Professional Paper 1395, chapter 3.
 */
final readonly class Ellipsoid
{
    /** Semi-major axis in metres and inverse flattening, by EPSG code (from memory of the EPSG dataset). */
    private const CODES = [
        7001 => [6_377_563.396, 299.3249646], 7004 => [6_377_397.155, 299.1528128], 7008 => [6_378_206.4, 294.978698213898],
        7019 => [6_378_137.0, 298.257222101], 7022 => [6_378_388.0, 297.0], 7024 => [6_378_245.0, 298.3], 7030 => [6_378_137.0, 298.257223563],
    ];

    public float $e2;

    public float $e;

    /** @param  float  $inverseFlattening  0 for a sphere */
    public function __construct(public float $axis = 6_378_137.0, public float $inverseFlattening = 298.257223563)
    {
        $f = $inverseFlattening > 0 ? 1 / $inverseFlattening : 0.0;
        $this->e2 = $f * (2 - $f);
        $this->e = sqrt($this->e2);
    }

    public static function ofCode(int $epsg): ?self
    {
        return isset(self::CODES[$epsg]) ? new self(...self::CODES[$epsg]) : null;
    }

    public static function grs80(): self
    {
        return new self(...self::CODES[7019]);
    }

    /** Snyder 14-15: radius of a parallel over the axis. */
    public function m(float $phi): float
    {
        return cos($phi) / sqrt(1 - $this->e2 * sin($phi) ** 2);
    }

    /** Snyder 15-9: tangent of half the conformal colatitude. */
    public function t(float $phi): float
    {
        $s = $this->e * sin($phi);

        return tan(M_PI / 4 - $phi / 2) / ((1 - $s) / (1 + $s)) ** ($this->e / 2);
    }

    /** The latitude for which t() is $t; Snyder 7-9. */
    public function latitudeOfT(float $t): float
    {
        $phi = M_PI / 2 - 2 * atan($t);
        for ($round = 0; $round < 20; $round++) {
            $s = $this->e * sin($phi);
            $next = M_PI / 2 - 2 * atan($t * ((1 - $s) / (1 + $s)) ** ($this->e / 2));
            if (abs($next - $phi) < 1e-15) {
                return $next;
            }
            $phi = $next;
        }

        return $phi;
    }

    /** Snyder 3-12: what makes areas right. */
    public function q(float $phi): float
    {
        $sine = sin($phi);
        if ($this->e < 1e-12) {
            return 2 * $sine;
        }

        return (1 - $this->e2) * ($sine / (1 - $this->e2 * $sine ** 2) + atanh($this->e * $sine) / $this->e);
    }

    /** The latitude for which q() is $q; Snyder 3-16. */
    public function latitudeOfQ(float $q): float
    {
        $pole = $this->q(M_PI / 2);
        if (abs($q) >= $pole) {
            return abs($q) - $pole < 1e-9 ? ($q < 0 ? -M_PI / 2 : M_PI / 2) : NAN;
        }
        $phi = asin($q / 2);
        for ($round = 0; $round < 30; $round++) {
            $sine = sin($phi);
            $flat = 1 - $this->e2 * $sine ** 2;
            $change = $flat ** 2 / (2 * cos($phi)) * (($q - $this->q($phi)) / (1 - $this->e2));
            $phi += $change;
            if (abs($change) < 1e-15) {
                break;
            }
        }

        return $phi;
    }
}
