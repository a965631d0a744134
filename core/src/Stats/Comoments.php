<?php

namespace Chorometra\Core\Stats;

use Chorometra\Core\Work\Kernel;

/**
 * Count, means and sums of products of deviations of several bands, over pixels that have a value in all of them; they can be merged.
 *
 * Source: Chan, Golub & LeVeque 1983, The American Statistician 37:242–247, for two variables as for one.
 */
final readonly class Comoments
{
    /** Bands whose products are all made in one loop. */
    private const AT_ONCE = 12;

    /**
     * @param  list<float>  $means
     * @param  list<list<float>>  $products  symmetric
     */
    public function __construct(public int $count = 0, public array $means = [], public array $products = []) {}

    /** @param  list<list<float>>  $bands  of $pixels values each; a pixel that is NaN in one of them is left out */
    public static function of(array $bands, int $pixels): self
    {
        [$shifts, $sums, $products] = self::sums($bands, $pixels);
        $count = $pixels;
        // a sum that is no number tells of holes
        if (is_nan(array_sum($sums))) {
            [$bands, $count] = self::whole($bands, $pixels);
            [$shifts, $sums, $products] = self::sums($bands, $count);
        }
        if ($count === 0) {
            return new self;
        }
        foreach ($products as $i => $line) {
            foreach ($line as $j => $product) {
                $products[$i][$j] = $product - $sums[$i] / $count * $sums[$j];
            }
        }
        $means = array_map(fn (float $shift, float $sum): float => $shift + $sum / $count, $shifts, $sums);

        return new self($count, $means, $products);
    }

    /**
     * Sums of weights, of weighted values and of their weighted products, each value less a number that is given: they add up over blocks.
     *
     * @param  list<list<float>>  $bands  of $pixels values each
     * @param  list<float>  $weights  NaN for a pixel that is left out
     * @param  list<float>  $shifts  by band
     * @return array{float, list<float>, list<list<float>>}
     */
    public static function weighted(array $bands, array $weights, array $shifts, int $pixels): array
    {
        if (is_nan((float) array_sum($weights))) {
            $bands = array_map(fn (array $values): array => self::kept($values, $weights, $pixels), $bands);
            $weights = self::kept($weights, $weights, $pixels);
        }
        [$sums, $products] = self::products($bands, $shifts, count($weights), $weights);

        return [(float) array_sum($weights), $sums, $products];
    }

    /**
     * Sums of values and of their products, each less a number near the values, so that no digits are lost to their level.
     *
     * @param  list<list<float>>  $bands
     * @return array{list<float>, list<float>, list<list<float>>} those numbers, sums, and sums of products
     */
    private static function sums(array $bands, int $count): array
    {
        $number = count($bands);
        $sums = array_fill(0, $number, 0.0);
        $products = array_fill(0, $number, array_fill(0, $number, 0.0));
        if ($count === 0 || $number === 0) {
            return [$sums, $sums, $products];
        }
        $shifts = array_map(fn (array $values): float => $values[0], $bands);

        return [$shifts, ...self::products($bands, $shifts, $count)];
    }

    /**
     * @param  list<list<float>>  $bands
     * @param  list<float>  $shifts
     * @param  list<float>|null  $weights
     * @return array{list<float>, list<list<float>>}
     */
    private static function products(array $bands, array $shifts, int $count, ?array $weights = null): array
    {
        $number = count($bands);
        $sums = array_fill(0, $number, 0.0);
        $products = array_fill(0, $number, $sums);
        foreach (self::groups($number) as [$rows, $cols]) {
            $both = array_values(array_unique([...$rows, ...$cols]));
            $of = fn (array $places): array => array_map(fn (int $band): int => (int) array_search($band, $both, true), $places);
            $found = self::loop($of($rows), $of($cols), $weights !== null)(
                array_map(fn (int $band): array => $bands[$band], $both),
                array_map(fn (int $band): float => $shifts[$band], $both),
                $count,
                $weights,
            );
            foreach ($both as $place => $band) {
                $sums[$band] = $found[0][$place];
            }
            foreach ($rows as $a => $row) {
                foreach ($cols as $b => $col) {
                    $products[$row][$col] = $products[$col][$row] = $found[1][$a][$b];
                }
            }
        }

        return [$sums, $products];
    }

    /**
     * Pixels that have a value in all bands.
     *
     * @param  list<list<float>>  $bands
     */
    public static function complete(array $bands, int $pixels): int
    {
        $holed = array_filter($bands, fn (array $values): bool => is_nan((float) array_sum($values)));
        $sum = array_fill(0, $pixels, 0.0);
        foreach ($holed as $values) {
            self::add($sum, $values, $pixels);
        }

        return $holed === [] ? $pixels : self::valid($sum, $pixels);
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

    /**
     * Bands whose products are made in one loop.
     *
     * @return list<array{list<int>, list<int>}>
     */
    private static function groups(int $number): array
    {
        if ($number <= self::AT_ONCE) {
            return [[range(0, $number - 1), range(0, $number - 1)]];
        }
        $parts = array_chunk(range(0, $number - 1), self::AT_ONCE >> 1);
        $groups = [];
        foreach ($parts as $k => $part) {
            foreach (array_slice($parts, $k) as $other) {
                $groups[] = [$part, $other];
            }
        }

        return $groups;
    }

    /**
     * Sums of all values, and of products of rows with columns: generated, so that each value is fetched once.
     *
     * @param  list<int>  $rows
     * @param  list<int>  $cols
     * @return \Closure(list<list<float>>, list<float>, int, list<float>|null): array{list<float>, list<list<float>>}
     */
    private static function loop(array $rows, array $cols, bool $isWeighted): \Closure
    {
        $bands = array_values(array_unique([...$rows, ...$cols]));
        sort($bands);
        $names = array_map(fn (int $row): array => array_map(fn (int $col): string => '$p'.min($row, $col).'_'.max($row, $col), $cols), $rows);
        $factor = $isWeighted ? 'w' : 'v';
        $kernel = Kernel::of('array $in, array $shifts, int $n, ?array $weights')->each($bands, '$b# = $in[#]; $m# = $shifts[#]; $s# = 0.0;');
        foreach (array_unique(array_merge(...$names)) as $name) {
            $kernel->text("$name = 0.0;");
        }

        return $kernel
            ->loop(function (Kernel $each) use ($bands, $rows, $cols, $names, $isWeighted, $factor): void {
                $each->text($isWeighted ? '$w = $weights[$i];' : '')->each($bands, '$v# = $b#[$i] - $m#;');
                $each->each($bands, $isWeighted ? '$w# = $w * $v#; $s# += $w#;' : '$s# += $v#;');
                $made = [];
                foreach ($names as $a => $line) {
                    foreach ($line as $b => $name) {
                        $made[$name] ??= "$name += \$$factor$rows[$a] * \$v$cols[$b];";
                    }
                }
                $each->text(implode("\n", $made));
            })
            ->text('return [['.Kernel::joined($bands, '$s#', ', ').'], ['
                .implode(', ', array_map(fn (array $line): string => '['.implode(', ', $line).']', $names)).']];')
            ->compile();
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
}
