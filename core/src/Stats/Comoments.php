<?php

namespace Chorometra\Core\Stats;

/**
 * Count, means and sums of products of deviations of several bands, over pixels that have a value in all of them; they can be merged.
 *
 * Source: Chan, Golub & LeVeque 1983, The American Statistician 37:242–247, for two variables as for one.
 */
final readonly class Comoments
{
    /**
     * @param  list<float>  $means
     * @param  list<list<float>>  $products  symmetric
     */
    public function __construct(public int $count = 0, public array $means = [], public array $products = []) {}

    /** @param  list<list<float>>  $bands  of $pixels values each; a pixel that is NaN in one of them is left out */
    public static function of(array $bands, int $pixels): self
    {
        [$bands, $count] = self::whole($bands, $pixels);
        if ($count === 0) {
            return new self;
        }
        $number = count($bands);
        $means = array_map(fn (array $values): float => self::sum($values, $count) / $count, $bands);
        $products = array_fill(0, $number, array_fill(0, $number, 0.0));
        // three by three: each value that is fetched goes into three products
        for ($i = 0; $i < $number; $i += 3) {
            $rows = self::three($i, $number);
            for ($j = $i; $j < $number; $j += 3) {
                $cols = self::three($j, $number);
                $sums = self::products(
                    array_map(fn (int $k): array => $bands[$k], $rows),
                    array_map(fn (int $k): array => $bands[$k], $cols),
                    array_map(fn (int $k): float => $means[$k], $rows),
                    array_map(fn (int $k): float => $means[$k], $cols),
                    $count,
                );
                foreach ($rows as $a => $row) {
                    foreach ($cols as $b => $col) {
                        $products[$row][$col] = $products[$col][$row] = $sums[3 * $a + $b];
                    }
                }
            }
        }

        return new self($count, $means, $products);
    }

    public function merge(self $other): self
    {
        if ($this->count === 0 || $other->count === 0) {
            return $this->count === 0 ? $other : $this;
        }
        $count = $this->count + $other->count;
        $apart = array_map(fn (float $one, float $two): float => $two - $one, $this->means, $other->means);
        $weight = $this->count / $count * $other->count;
        $products = $this->products;
        foreach ($products as $i => $row) {
            foreach ($row as $j => $product) {
                $products[$i][$j] = $product + $other->products[$i][$j] + $weight * $apart[$i] * $apart[$j];
            }
        }

        return new self($count, array_map(fn (float $mean, float $by): float => $mean + $by * $other->count / $count, $this->means, $apart), $products);
    }

    /** @return list<list<float>> dividing by the number less one */
    public function covariances(): array
    {
        $share = 1.0 / max(1, $this->count - 1);

        return array_map(fn (array $row): array => array_map(fn (float $product): float => $share * $product, $row), $this->products);
    }

    /** Of a band, dividing by the number less one. */
    public function deviation(int $band): float
    {
        return sqrt(max(0.0, $this->products[$band][$band]) / max(1, $this->count - 1));
    }

    /** Whether a band has one value only, but for what rounding leaves. */
    public function isConstant(int $band): bool
    {
        return $this->count < 2 || $this->deviation($band) <= 1e-12 * abs($this->means[$band]);
    }

    /** @return list<int> the band and the two after it; the last again where there are no more */
    private static function three(int $first, int $number): array
    {
        return [$first, min($first + 1, $number - 1), min($first + 2, $number - 1)];
    }

    /**
     * Pixels that have all values.
     *
     * @param  list<list<float>>  $bands
     * @return array{list<list<float>>, int}
     */
    private static function whole(array $bands, int $pixels): array
    {
        $holed = array_filter($bands, fn (array $values): bool => is_nan((float) array_sum($values)));
        if ($holed === []) {
            return [$bands, $pixels];
        }
        $sum = array_fill(0, $pixels, 0.0);
        foreach ($holed as $values) {
            self::add($sum, $values, $pixels);
        }

        return [array_map(fn (array $values): array => self::kept($values, $sum, $pixels), $bands), self::valid($sum, $pixels)];
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

    /** @param  list<float>  $values */
    private static function valid(array $values, int $count): int
    {
        $valid = 0;
        for ($i = 0; $i < $count; $i++) {
            $valid += $values[$i] === $values[$i] ? 1 : 0;
        }

        return $valid;
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $sum  NaN where a value is left out
     * @return list<float>
     */
    private static function kept(array $values, array $sum, int $count): array
    {
        $kept = [];
        for ($i = 0; $i < $count; $i++) {
            if ($sum[$i] === $sum[$i]) {
                $kept[] = $values[$i];
            }
        }

        return $kept;
    }

    /** @param  list<float>  $values */
    private static function sum(array $values, int $count): float
    {
        $sum = 0.0;
        for ($i = 0; $i < $count; $i++) {
            $sum += $values[$i];
        }

        return $sum;
    }

    /**
     * Sums of products of deviations of three bands with three.
     *
     * @param  list<list<float>>  $rows
     * @param  list<list<float>>  $cols
     * @param  list<float>  $rowMeans
     * @param  list<float>  $colMeans
     * @return list<float> nine, row by row
     */
    private static function products(array $rows, array $cols, array $rowMeans, array $colMeans, int $count): array
    {
        [$a, $b, $c] = $rows;
        [$d, $e, $f] = $cols;
        [$am, $bm, $cm] = $rowMeans;
        [$dm, $em, $fm] = $colMeans;
        $ad = $ae = $af = $bd = $be = $bf = $cd = $ce = $cf = 0.0;
        for ($i = 0; $i < $count; $i++) {
            $x = $a[$i] - $am;
            $y = $b[$i] - $bm;
            $z = $c[$i] - $cm;
            $u = $d[$i] - $dm;
            $v = $e[$i] - $em;
            $w = $f[$i] - $fm;
            $ad += $x * $u;
            $ae += $x * $v;
            $af += $x * $w;
            $bd += $y * $u;
            $be += $y * $v;
            $bf += $y * $w;
            $cd += $z * $u;
            $ce += $z * $v;
            $cf += $z * $w;
        }

        return [$ad, $ae, $af, $bd, $be, $bf, $cd, $ce, $cf];
    }
}
