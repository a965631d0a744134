<?php

namespace Chorometra\Core\Correct\Air;

/**
 * What ozone and water vapour let through.
 *
 * Source: Bird & Riordan 1986, Journal of Climate and Applied Meteorology 25:87–97, after Leckner 1978; the coefficients are from memory. In
 * between they are taken on a straight line of their logarithms, ozone's of themselves.
 */
final class Gases
{
    /** Of ozone, cm⁻¹, by wavelength in µm. */
    private const OZONE = [
        [0.43, 0.0],
        [0.445, 0.003],
        [0.45, 0.003],
        [0.46, 0.006],
        [0.47, 0.009],
        [0.48, 0.014],
        [0.49, 0.021],
        [0.5, 0.03],
        [0.51, 0.04],
        [0.52, 0.048],
        [0.53, 0.063],
        [0.54, 0.075],
        [0.55, 0.085],
        [0.57, 0.12],
        [0.593, 0.119],
        [0.61, 0.12],
        [0.63, 0.09],
        [0.656, 0.065],
        [0.6676, 0.051],
        [0.69, 0.028],
        [0.71, 0.018],
        [0.718, 0.015],
        [0.7244, 0.012],
        [0.74, 0.01],
        [0.7525, 0.008],
        [0.7575, 0.007],
        [0.7675, 0.005],
        [0.78, 0.0],
    ];

    /** Of water vapour, cm² g⁻¹. */
    private const WATER = [
        [0.68, 1e-6],
        [0.69, 0.016],
        [0.71, 0.0125],
        [0.718, 1.8],
        [0.7244, 2.5],
        [0.74, 0.061],
        [0.7525, 0.0008],
        [0.7575, 0.0001],
        [0.7625, 1e-5],
        [0.7675, 1e-5],
        [0.78, 0.0006],
        [0.8, 0.036],
        [0.816, 1.6],
        [0.8237, 2.5],
        [0.8315, 0.5],
        [0.84, 0.155],
        [0.86, 1e-5],
        [0.88, 0.0026],
        [0.905, 7.0],
        [0.915, 5.0],
        [0.925, 5.0],
        [0.93, 27.0],
        [0.937, 55.0],
        [0.948, 45.0],
        [0.965, 4.0],
        [0.98, 1.48],
        [0.9935, 0.1],
        [1.04, 1e-5],
        [1.07, 0.001],
        [1.1, 3.2],
        [1.12, 115.0],
        [1.13, 70.0],
        [1.145, 75.0],
        [1.161, 10.0],
        [1.17, 5.0],
        [1.2, 2.0],
        [1.24, 0.002],
        [1.27, 0.002],
        [1.29, 0.1],
        [1.32, 4.0],
        [1.35, 200.0],
        [1.395, 1000.0],
        [1.4425, 185.0],
        [1.4625, 80.0],
        [1.477, 80.0],
        [1.497, 12.0],
        [1.52, 0.16],
        [1.539, 0.002],
        [1.558, 0.0005],
        [1.578, 0.0001],
        [1.592, 1e-5],
        [1.61, 0.0001],
        [1.63, 0.001],
        [1.646, 0.01],
        [1.678, 0.036],
        [1.74, 1.1],
        [1.8, 130.0],
        [1.86, 1000.0],
        [1.92, 500.0],
        [1.96, 100.0],
        [1.985, 4.0],
        [2.005, 2.9],
        [2.035, 1.0],
        [2.065, 0.4],
        [2.1, 0.22],
        [2.148, 0.25],
        [2.198, 0.33],
        [2.27, 0.5],
        [2.36, 4.0],
        [2.45, 80.0],
        [2.5, 310.0],
    ];

    /** @param  float  $amount  Dobson units along the way */
    public static function ozone(float $wavelength, float $amount): float
    {
        return exp(-self::between(self::OZONE, $wavelength) * $amount / 1000);
    }

    /** @param  float  $amount  g cm⁻² along the way */
    public static function water(float $wavelength, float $amount): float
    {
        $last = self::WATER[count(self::WATER) - 1][0];
        if ($wavelength <= self::WATER[0][0] || $wavelength >= $last) {
            return 1.0;
        }
        static $logs = null;
        $logs ??= array_map(fn (array $one): array => [$one[0], log($one[1])], self::WATER);
        $k = exp(self::between($logs, $wavelength)) * $amount;

        return exp(-0.2385 * $k / (1 + 20.07 * $k) ** 0.45);
    }

    /** @param  list<array{float, float}>  $table */
    private static function between(array $table, float $x): float
    {
        $n = count($table);
        if ($x <= $table[0][0] || $x >= $table[$n - 1][0]) {
            return $x <= $table[0][0] ? $table[0][1] : $table[$n - 1][1];
        }
        $i = 1;
        while ($table[$i][0] < $x) {
            $i++;
        }
        [$x0, $y0] = $table[$i - 1];
        [$x1, $y1] = $table[$i];

        return $y0 + ($y1 - $y0) * ($x - $x0) / ($x1 - $x0);
    }
}
