<?php

namespace Chorometra\Core\Derive\Sharpening;

use Chorometra\Core\Stats\Comoments;

/**
 * How near sharpened bands come to what they should be.
 *
 * Sources: ERGAS: Wald 2000, Fusion of Earth Data, 99–103. Spectral angle: Yuhas, Goetz & Boardman 1992, JPL Publication 92-14, 147–149. Q: Wang &
 * Bovik 2002, IEEE Signal Processing Letters 9:81–84, over all pixels at once (from memory).
 */
final class Quality
{
    /**
     * @param  list<list<float>>  $made
     * @param  list<list<float>>  $wanted  without nodata, as long
     * @param  float  $ratio  size of a fine pixel by that of a coarse one
     * @return array{ergas: float, angle: float, q: list<float>, rmse: list<float>} angle in degrees, rmse in the unit of the bands
     */
    public static function of(array $made, array $wanted, int $count, float $ratio): array
    {
        $q = $rmse = $relative = [];
        foreach ($made as $k => $values) {
            $pair = Comoments::of([$values, $wanted[$k]], $count);
            [$mx, $my] = $pair->means;
            [[$xx, $xy], [, $yy]] = array_map(fn (array $row): array => array_map(fn (float $sum): float => $sum / $count, $row), $pair->products);
            $squares = ($xx + $yy) * ($mx * $mx + $my * $my);
            $q[] = $squares > 0.0 ? 4.0 * $xy * $mx * $my / $squares : ($xx + $yy == 0.0 && $mx === $my ? 1.0 : 0.0);
            $error = max(0.0, $xx + $yy - 2.0 * $xy + ($mx - $my) ** 2);
            $rmse[] = sqrt($error);
            $relative[] = $my !== 0.0 ? $error / ($my * $my) : NAN;
        }

        return [
            'ergas' => 100.0 * $ratio * sqrt(array_sum($relative) / count($relative)),
            'angle' => self::angle($made, $wanted, $count),
            'q' => $q,
            'rmse' => $rmse,
        ];
    }

    /**
     * The mean angle between spectra, in degrees; pixels that are 0 in all bands have none.
     *
     * @param  list<list<float>>  $made
     * @param  list<list<float>>  $wanted
     */
    private static function angle(array $made, array $wanted, int $count): float
    {
        $xx = $xy = $yy = array_fill(0, $count, 0.0);
        foreach ($made as $k => $values) {
            self::products($xy, $values, $wanted[$k], $count);
            self::products($xx, $values, $values, $count);
            self::products($yy, $wanted[$k], $wanted[$k], $count);
        }

        return self::mean($xx, $xy, $yy, $count);
    }

    /**
     * @param  list<float>  $sum
     * @param  list<float>  $one
     * @param  list<float>  $other
     */
    private static function products(array &$sum, array $one, array $other, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $sum[$i] += $one[$i] * $other[$i];
        }
    }

    /**
     * @param  list<float>  $xx
     * @param  list<float>  $xy
     * @param  list<float>  $yy
     */
    private static function mean(array $xx, array $xy, array $yy, int $count): float
    {
        $sum = 0.0;
        $number = 0;
        for ($i = 0; $i < $count; $i++) {
            $size = sqrt($xx[$i] * $yy[$i]);
            if ($size > 0.0) {
                $cosine = $xy[$i] / $size;
                $sum += acos($cosine > 1.0 ? 1.0 : ($cosine < -1.0 ? -1.0 : $cosine));
                $number++;
            }
        }

        return $number > 0 ? 57.29577951308232 * $sum / $number : NAN;
    }
}
