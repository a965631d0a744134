<?php

namespace Chorometra\Core\Compare\Alteration;

use Chorometra\Core\Arithmetic\LinearForms;
use Chorometra\Core\Stats\Canonical;
use Chorometra\Core\Stats\ChiSquare;
use Chorometra\Core\Stats\Comoments;

/**
 * Variates of alteration: differences of canonical variates of two dates, of which the unchanged share as much as can be shared.
 *
 * A pixel's sum of squared variates, each over its variance 2(1 − ρ), follows chi-square where nothing changed; the probability of a greater one is
 * that of no change, and its weight in the next round.
 *
 * Source: Nielsen, Conradsen & Simpson 1998, Remote Sensing of Environment 64:1–19; Nielsen 2007, IEEE Transactions on Image Processing 16:463–478.
 */
final readonly class Detection
{
    /** Beyond it, the dates say the same but for rounding, and no variance is left to tell change by. */
    private const LEAST_VARIANCE = 1e-9;

    /** Steps of the table of probabilities to one root of chi-square, and how far it goes: beyond, a probability is below any float's. */
    private const STEPS = 4096;

    private const REACH = 16;

    /**
     * @param  list<float>  $means  bands before, then after
     * @param  list<list<float>>  $covariances
     * @param  float  $total  pixels, or the sum of their weights
     */
    private function __construct(public array $means, public array $covariances, public Canonical $canonical, public float $total) {}

    /**
     * From unweighted statistics.
     *
     * @return self|null null where bands say the same as others of their date
     */
    public static function of(Comoments $moments): ?self
    {
        return self::from($moments->means, $moments->covariances(), (float) $moments->count);
    }

    /**
     * From the weighted sums of a round.
     *
     * @param  list<float>  $shifts  what was taken from the values
     * @param  list<float>  $sums
     * @param  list<list<float>>  $products
     * @param  int  $pixels  that have a weight
     */
    public static function weighted(float $total, array $shifts, array $sums, array $products, int $pixels): ?self
    {
        if (! ($total > 0.0) || $pixels < 2) {
            return null;
        }
        // as of a sample: without weights it divides by the number less one
        $by = $pixels / ($pixels - 1) / $total;
        $covariances = [];
        foreach ($products as $i => $row) {
            foreach ($row as $j => $product) {
                $covariances[$i][$j] = $by * ($product - $sums[$i] * $sums[$j] / $total);
            }
        }

        return self::from(array_map(fn (float $shift, float $sum): float => $shift + $sum / $total, $shifts, $sums), array_map(array_values(...),
            $covariances), $total);
    }

    /**
     * @param  list<float>  $means
     * @param  list<list<float>>  $covariances
     */
    private static function from(array $means, array $covariances, float $total): ?self
    {
        $canonical = Canonical::of($covariances);

        return $canonical === null ? null : new self($means, $covariances, $canonical, $total);
    }

    /** @return list<float> variances of the variates */
    public function variances(): array
    {
        return array_map(fn (float $correlation): float => 2.0 * (1.0 - $correlation), $this->canonical->correlations);
    }

    /** Whether there is variance left in each variate. */
    public function tells(): bool
    {
        return min($this->variances()) > self::LEAST_VARIANCE;
    }

    /** @return \Closure(list<list<float>>, int): list<list<float>> from the bands and their length to the variates */
    public function variates(): \Closure
    {
        $weights = array_map(
            fn (array $one, array $other): array => [...$one, ...array_map(fn (float $weight): float => -$weight, $other)],
            $this->canonical->one,
            $this->canonical->other,
        );
        $offset = fn (array $row): float => -array_sum(array_map(fn (float $weight, float $mean): float => $weight * $mean, $row, $this->means));

        return LinearForms::of($weights, array_map($offset, $weights));
    }

    /**
     * Chi-square of $count pixels.
     *
     * @param  list<list<float>>  $variates
     * @return list<float>
     */
    public function chiSquare(array $variates, int $count): array
    {
        $sum = array_fill(0, $count, 0.0);
        foreach ($this->variances() as $k => $variance) {
            self::add($sum, $variates[$k], 1.0 / $variance, $count);
        }

        return $sum;
    }

    /**
     * The probabilities of greater ones; NaN stays it. Between the steps of a table they are linear: right to 10⁻⁸.
     *
     * @param  list<float>  $chi
     * @param  list<float>  $table  of table()
     * @return list<float>
     */
    public static function probabilities(array $chi, int $count, array $table): array
    {
        $last = count($table) - 2;
        for ($i = 0; $i < $count; $i++) {
            $place = 4096.0 * sqrt($chi[$i]);
            if ($place < $last) {
                $step = (int) $place;
                $value = $table[$step];
                $chi[$i] = $value + ($place - $step) * ($table[$step + 1] - $value);
            } elseif ($place === $place) {
                $chi[$i] = 0.0;
            } else {
                $chi[$i] = NAN;
            }
        }

        return $chi;
    }

    /** @return list<float> probabilities of a greater chi-square, by its root */
    public static function table(int $freedom): array
    {
        return array_map(fn (int $step): float => ChiSquare::above(($step / self::STEPS) ** 2, $freedom), range(0, self::REACH * self::STEPS));
    }

    /**
     * How each variate goes along with each band, over all pixels: weights keep change out, which is what is to be seen here.
     *
     * @param  list<list<float>>  $covariances  without weights
     * @return list<list<float>> by variate and band, before then after, −1 to 1
     */
    public function drives(array $covariances): array
    {
        $rows = [];
        foreach ($this->canonical->one as $k => $one) {
            $weights = [...$one, ...array_map(fn (float $weight): float => -$weight, $this->canonical->other[$k])];
            $along = array_map(fn (array $line): float => array_sum(array_map(fn (float $weight, float $value): float => $weight * $value, $weights, $line)),
                $covariances);
            $variance = array_sum(array_map(fn (float $weight, float $value): float => $weight * $value, $weights, $along));
            $rows[] = array_map(fn (float $value, int $band): float => $value / sqrt(max(1e-300, $variance * $covariances[$band][$band])), $along,
                array_keys($along));
        }

        return $rows;
    }

    /**
     * @param  list<float>  $sum
     * @param  list<float>  $variate
     */
    private static function add(array &$sum, array $variate, float $by, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $value = $variate[$i];
            $sum[$i] += $by * $value * $value;
        }
    }
}
