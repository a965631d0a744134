<?php

namespace Chorometra\Core\Correct\Air;

/**
 * A homogeneous layer of scatterers, solved for all orders of scattering by doubling a thin one.
 *
 * Intensity only, averaged over azimuth: exact for what is seen from straight above, and for all fluxes. Polarisation is left out.
 *
 * Source: Hansen & Travis 1974, Space Science Reviews 16:527–610, section on the doubling method (from memory); held against photons
 * followed one by one (core/tests/fixtures/atmosphere).
 */
final readonly class ScatteringLayer
{
    /** Gaussian points for directions between the horizon and straight up. */
    private const DIRECTIONS = 10;

    /** Optical depth of the thin layer, in which light scatters once only. */
    private const THIN = 2e-6;

    /**
     * @param  float  $path  reflectance seen from straight above, π L / (cos z · E)
     * @param  float  $down  share of the sun's light that comes through, straight or scattered
     * @param  float  $up  the same for light that leaves towards straight above
     * @param  float  $spherical  share of light from below, alike from all sides, that is sent back
     */
    private function __construct(
        public float $path,
        public float $down,
        public float $up,
        public float $spherical,
    ) {}

    /**
     * @param  float  $molecules  optical depth of molecules, 0 or more
     * @param  float  $aerosol  that of aerosol, 0 or more
     * @param  float  $albedo  single-scattering albedo of the aerosol, 0 to 1
     * @param  float  $asymmetry  of its phase function after Henyey & Greenstein, −1 to 1
     * @param  float  $cosine  of the sun's zenith distance, more than 0
     */
    public static function of(float $molecules, float $aerosol, float $albedo, float $asymmetry, float $cosine): self
    {
        $depth = $molecules + $aerosol;
        if ($depth <= 0) {
            return new self(0.0, 1.0, 1.0, 0.0);
        }
        [$mu, $weight] = self::directions();
        // the sun and straight above join as directions of no weight
        $mu = [...$mu, $cosine, 1.0];
        $n = count($mu);
        $weights = [];
        foreach ($mu as $i => $one) {
            $weights[] = 2 * ($weight[$i] ?? 0.0) * $one;
        }
        $rounds = max(1, (int) ceil(log($depth / self::THIN, 2)));
        [$reflected, $through] = self::thin($mu, $n, $depth / 2 ** $rounds, self::phase($mu, $n, $molecules, $albedo * $aerosol, $asymmetry, $depth));
        for ($round = $rounds; $round > 0; $round--) {
            $straight = array_map(fn (float $one): float => exp(-$depth / 2 ** $round / $one), $mu);
            [$reflected, $through] = self::doubled($reflected, $through, $straight, $weights, $n);
        }
        $down = exp(-$depth / $cosine);
        $up = exp(-$depth);
        $spherical = 0.0;
        for ($i = 0; $i < $n; $i++) {
            $down += $weights[$i] * $through[$i * $n + $n - 2];
            $up += $weights[$i] * $through[$i * $n + $n - 1];
            for ($j = 0; $j < $n; $j++) {
                $spherical += $weights[$i] * $weights[$j] * $reflected[$i * $n + $j];
            }
        }

        return new self($reflected[($n - 1) * $n + $n - 2], $down, $up, $spherical);
    }

    /**
     * Gauss–Legendre points and weights between 0 and 1.
     *
     * @return array{list<float>, list<float>}
     */
    private static function directions(): array
    {
        static $known = null;
        if ($known === null) {
            $n = self::DIRECTIONS;
            $known = [[], []];
            for ($i = 1; $i <= $n; $i++) {
                $x = cos(M_PI * ($i - 0.25) / ($n + 0.5));
                $slope = 1.0;
                for ($round = 0; $round < 50; $round++) {
                    [$before, $value] = [1.0, $x];
                    for ($l = 2; $l <= $n; $l++) {
                        [$before, $value] = [$value, ((2 * $l - 1) * $x * $value - ($l - 1) * $before) / $l];
                    }
                    $slope = $n * ($x * $value - $before) / ($x * $x - 1);
                    $x -= $value / $slope;
                }
                $known[0][] = (1 - $x) / 2;
                $known[1][] = 1 / ((1 - $x * $x) * $slope * $slope);
            }
        }

        return $known;
    }

    /**
     * Phase functions times single-scattering albedo, averaged over azimuth, by their Legendre series: first for light that turns back, then for
     * light that goes on.
     *
     * $n angles; optical depths of $molecules and of $scattering aerosol of some $asymmetry, in a layer of $depth.
     *
     * @param  list<float>  $mu
     * @return array{list<float>, list<float>}
     */
    private static function phase(array $mu, int $n, float $molecules, float $scattering, float $asymmetry, float $depth): array
    {
        $back = $on = array_fill(0, $n * $n, 0.0);
        $before = array_fill(0, $n, 0.0);
        $now = array_fill(0, $n, 1.0);
        for ($l = 0; $l < 2 * self::DIRECTIONS; $l++) {
            // molecules scatter by ¾ (1 + cos²)
            $term = ((2 * $l + 1) * $asymmetry ** $l * $scattering + ($l === 0 ? 1.0 : ($l === 2 ? 0.5 : 0.0)) * $molecules) / $depth;
            $sign = $l % 2 === 0 ? $term : -$term;
            for ($i = 0; $i < $n; $i++) {
                for ($j = 0; $j < $n; $j++) {
                    $both = $now[$i] * $now[$j];
                    $on[$i * $n + $j] += $term * $both;
                    $back[$i * $n + $j] += $sign * $both;
                }
            }
            for ($i = 0; $i < $n; $i++) {
                [$before[$i], $now[$i]] = [$now[$i], ((2 * $l + 1) * $mu[$i] * $now[$i] - $l * $before[$i]) / ($l + 1)];
            }
        }

        return [$back, $on];
    }

    /**
     * Reflection and diffuse transmission of a layer so thin that light scatters once.
     *
     * @param  list<float>  $mu
     * @param  array{list<float>, list<float>}  $phase
     * @return array{list<float>, list<float>}
     */
    private static function thin(array $mu, int $n, float $depth, array $phase): array
    {
        [$back, $on] = $phase;
        for ($i = 0; $i < $n; $i++) {
            for ($j = 0; $j < $n; $j++) {
                $k = $i * $n + $j;
                $back[$k] *= $depth / (4 * $mu[$i] * $mu[$j]) * (1 - $depth * (1 / $mu[$i] + 1 / $mu[$j]) / 2);
                $on[$k] *= $depth / (4 * $mu[$i] * $mu[$j]) * (1 - $depth * (1 / $mu[$i] + 1 / $mu[$j]) / 2);
            }
        }

        return [$back, $on];
    }

    /**
     * Two layers of a kind, one upon the other.
     *
     * $n angles each way.
     *
     * @param  list<float>  $r
     * @param  list<float>  $t
     * @param  list<float>  $straight  what comes straight through one layer, by direction
     * @param  list<float>  $weights
     * @return array{list<float>, list<float>}
     */
    private static function doubled(array $r, array $t, array $straight, array $weights, int $n): array
    {
        $sum = $power = self::product($r, $r, $weights, $n);
        while (max($power) > 1e-12) {
            $power = self::product($power, $power, $weights, $n);
            // 1 + q + … doubles its terms: s ← s + q² (1 + s)
            $more = self::product($power, $sum, $weights, $n);
            for ($k = $n * $n - 1; $k >= 0; $k--) {
                $sum[$k] += $power[$k] + $more[$k];
            }
        }
        $down = self::product($sum, $t, $weights, $n);
        for ($i = 0, $k = 0; $i < $n; $i++) {
            for ($j = 0; $j < $n; $j++, $k++) {
                $down[$k] += $t[$k] + $sum[$k] * $straight[$j];
            }
        }
        $up = self::product($r, $down, $weights, $n);
        for ($i = 0, $k = 0; $i < $n; $i++) {
            for ($j = 0; $j < $n; $j++, $k++) {
                $up[$k] += $r[$k] * $straight[$j];
            }
        }
        $above = self::product($t, $up, $weights, $n);
        $below = self::product($t, $down, $weights, $n);
        for ($i = 0, $k = 0; $i < $n; $i++) {
            for ($j = 0; $j < $n; $j++, $k++) {
                $above[$k] += $r[$k] + $straight[$i] * $up[$k];
                $below[$k] += $straight[$i] * $down[$k] + $t[$k] * $straight[$j];
            }
        }

        return [$above, $below];
    }

    /**
     * 2 ∫ a(μ, ν) b(ν, μ₀) ν dν, written out over the ten directions that have a weight.
     *
     * @param  list<float>  $a
     * @param  list<float>  $b
     * @param  list<float>  $weights
     * @return list<float>
     */
    private static function product(array $a, array $b, array $weights, int $n): array
    {
        [$w0, $w1, $w2, $w3, $w4, $w5, $w6, $w7, $w8, $w9] = $weights;
        $out = [];
        for ($i = 0; $i < $n; $i++) {
            $row = $i * $n;
            $a0 = $a[$row] * $w0;
            $a1 = $a[$row + 1] * $w1;
            $a2 = $a[$row + 2] * $w2;
            $a3 = $a[$row + 3] * $w3;
            $a4 = $a[$row + 4] * $w4;
            $a5 = $a[$row + 5] * $w5;
            $a6 = $a[$row + 6] * $w6;
            $a7 = $a[$row + 7] * $w7;
            $a8 = $a[$row + 8] * $w8;
            $a9 = $a[$row + 9] * $w9;
            for ($j = 0; $j < $n; $j++) {
                $out[] =
                    $a0 * $b[$j] +
                    $a1 * $b[$n + $j] +
                    $a2 * $b[2 * $n + $j] +
                    $a3 * $b[3 * $n + $j] +
                    $a4 * $b[4 * $n + $j] +
                    $a5 * $b[5 * $n + $j] +
                    $a6 * $b[6 * $n + $j] +
                    $a7 * $b[7 * $n + $j] +
                    $a8 * $b[8 * $n + $j] +
                    $a9 * $b[9 * $n + $j];
            }
        }

        return $out;
    }
}
