<?php

namespace Chorometra\Core\Derive\Sharpening;

use Chorometra\Core\Arithmetic\LinearForms;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Stats\Eigen;

/**
 * How the detail of a panchromatic image goes into coarser bands. Bands come in one order everywhere: the panchromatic one, the same made as coarse
 * as the bands, and the bands, brought onto the fine grid.
 *
 * Sources: components: Chavez, Sides & Anderson 1991, Photogrammetric Engineering & Remote Sensing 57:295–303. Brovey: Gillespie, Kahle & Walker 1987,
 * Remote Sensing of Environment 22:343–365. Gram-Schmidt: Laben & Brower 2000, US patent 6 011 875 (expired), as injection after Aiazzi, Baronti &
 * Selva 2007, IEEE Transactions on Geoscience and Remote Sensing 45:3230–3239. High-pass: the detail beside the coarse image (Chavez et al. 1991),
 * weighed by the regression of the band on it: Aiazzi et al. 2002, IEEE Transactions on Geoscience and Remote Sensing 40:2300–2312 (all from memory).
 */
final class Injection
{
    public const METHODS = ['components', 'brovey', 'gram-schmidt', 'high-pass'];

    /** Places of the panchromatic band, of the same made coarse, and of the first band. */
    public const PAN = 0;

    public const COARSE = 1;

    public const FIRST = 2;

    /** @return \Closure(list<list<float>>, int): list<list<float>> from all bands and their length to the sharpened ones */
    public static function of(string $method, Comoments $moments): \Closure
    {
        if ($method === 'brovey') {
            return fn (array $bands, int $count): array => self::brovey($bands[self::PAN], array_slice($bands, self::FIRST), $count);
        }
        $forms = LinearForms::of(...self::forms($method, $moments));
        // the coarse one counts for the high-pass alone
        $skipped = $method === 'high-pass' ? null : self::COARSE;

        return fn (array $bands, int $count): array => $forms(array_values($skipped === null ? $bands : array_diff_key($bands, [$skipped => true])), $count);
    }

    /** Whether it needs the panchromatic band made coarse. */
    public static function needsCoarse(string $method): bool
    {
        return $method === 'high-pass';
    }

    /**
     * Weights of each sharpened band, and what is added; without the coarse one where it does not count.
     *
     * @return array{list<list<float>>, list<float>}
     */
    public static function forms(string $method, Comoments $moments): array
    {
        $covariances = $moments->covariances();
        $bands = range(self::FIRST, count($moments->means) - 1);
        $number = count($bands);
        $pan = sqrt(max(0.0, $covariances[self::PAN][self::PAN]));
        if ($method === 'high-pass') {
            $spread = $covariances[self::COARSE][self::COARSE];

            return [
                array_map(function (int $k) use ($bands, $covariances, $spread): array {
                    $gain = $spread > 0.0 ? $covariances[$k][self::COARSE] / $spread : 0.0;

                    return [$gain, -$gain, ...array_map(fn (int $j): float => $j === $k ? 1.0 : 0.0, $bands)];
                }, $bands),
                array_fill(0, $number, 0.0),
            ];
        }
        // a weighted sum of the bands is replaced by the panchromatic band of the same mean and deviation
        $shares = $method === 'components' ? self::first($covariances, $bands) : array_fill(0, $number, 1.0 / $number);
        $with = fn (int $k): float => array_sum(array_map(fn (float $share, int $j): float => $share * $covariances[$k][$j], $shares, $bands));
        $variance = array_sum(array_map(fn (float $share, int $k): float => $share * $with($k), $shares, $bands));
        $mean = array_sum(array_map(fn (float $share, int $k): float => $share * $moments->means[$k], $shares, $bands));
        $match = $pan > 0.0 ? sqrt(max(0.0, $variance)) / $pan : 0.0;
        $weights = $offsets = [];
        foreach ($bands as $k) {
            $gain = $variance > 0.0 ? $with($k) / $variance : 0.0;
            $weights[] = [$gain * $match, ...array_map(fn (float $share, int $j): float => ($j === $k ? 1.0 : 0.0) - $gain * $share, $shares, $bands)];
            $offsets[] = $gain * ($mean - $match * $moments->means[self::PAN]);
        }

        return [$weights, $offsets];
    }

    /**
     * The first component of the bands, turned so that it rises with the panchromatic band.
     *
     * @param  list<list<float>>  $covariances
     * @param  list<int>  $bands
     * @return list<float>
     */
    private static function first(array $covariances, array $bands): array
    {
        $own = array_map(fn (int $k): array => array_map(fn (int $j): float => $covariances[$k][$j], $bands), $bands);
        $vector = Eigen::symmetric($own)[1][0];
        $with = array_sum(array_map(fn (float $share, int $k): float => $share * $covariances[self::PAN][$k], $vector, $bands));

        return $with < 0.0 ? array_map(fn (float $share): float => -$share, $vector) : $vector;
    }

    /**
     * Each band by the panchromatic one over the mean of all: shares between bands stay.
     *
     * @param  list<float>  $pan
     * @param  list<list<float>>  $bands
     * @return list<list<float>>
     */
    public static function brovey(array $pan, array $bands, int $count): array
    {
        $sum = array_fill(0, $count, 0.0);
        foreach ($bands as $values) {
            self::add($sum, $values, $count);
        }
        $factors = self::ratios($pan, $sum, $count, (float) count($bands));

        return array_map(fn (array $values): array => self::times($values, $factors, $count), $bands);
    }

    /**
     * @param  list<float>  $sum
     * @param  list<float>  $values
     */
    private static function add(array &$sum, array $values, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $sum[$i] += $values[$i];
        }
    }

    /**
     * @param  list<float>  $pan
     * @param  list<float>  $sum
     * @return list<float>
     */
    private static function ratios(array $pan, array $sum, int $count, float $number): array
    {
        for ($i = 0; $i < $count; $i++) {
            $sum[$i] = $sum[$i] == 0.0 ? NAN : $number * $pan[$i] / $sum[$i];
        }

        return $sum;
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $factors
     * @return list<float>
     */
    private static function times(array $values, array $factors, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] *= $factors[$i];
        }

        return $values;
    }
}
