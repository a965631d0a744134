<?php

namespace Chorometra\Core\Stats;

use Chorometra\Core\Work\Kernel;
use Random\Engine\Xoshiro256StarStar;
use Random\Randomizer;

/**
 * Groups of like cases, found without examples: centres such that each case belongs to the nearest one.
 *
 * Sources: Lloyd 1982, Least squares quantization in PCM, IEEE Transactions on Information Theory 28:129–137; first centres by Arthur & Vassilvitskii
 * 2007, k-means++, SODA, 1027–1035; bounds that spare distances by Hamerly 2010, Making k-means even faster, SIAM Data Mining, 130–140; isodata by
 * Ball & Hall 1965, as told by Tou & Gonzalez 1974, Pattern Recognition Principles, section 3.3.5 (from memory).
 */
final class Clustering
{
    /** How far apart the two halves of a cluster begin, of its deviation. */
    private const APART = 0.5;

    /** Pairs that isodata joins in a turn. */
    private const PAIRS = 2;

    /**
     * @param  list<list<float>>  $centres
     * @param  list<int>  $sizes  cases of each
     * @param  float  $squares  sum of the squared distances of cases to their centres
     * @param  int  $turns  until nothing moved any more, or there were no more
     * @param  list<int>  $labels  the cluster of each case
     */
    public function __construct(
        public readonly array $centres,
        public readonly array $sizes,
        public readonly float $squares,
        public readonly int $turns,
        public readonly array $labels,
    ) {}

    /**
     * @param  list<list<float>>  $columns  values by measure, without NaN
     * @param  list<list<float>>  $centres  to begin with
     * @param  int  $turns  at most; with none cases go to the centres given
     * @param  float  $tolerance  it ends when no centre moves farther than this part of the mean deviation of the measures
     */
    public static function means(array $columns, int $count, array $centres, int $turns, float $tolerance = 0.0): self
    {
        $measures = count($columns);
        $number = count($centres);
        $moments = array_map(Moments::of(...), $columns);
        $spread = sqrt(array_sum(array_map(fn (Moments $some): float => $some->squares / max(1, $some->count), $moments)) / max(1, $measures));
        $flat = array_merge(...$centres);
        $labels = array_fill(0, $count, 0);
        $upper = array_fill(0, $count, INF);
        $lower = array_fill(0, $count, 0.0);
        $sums = array_fill(0, $number * ($measures + 1), 0.0);
        $pass = self::pass($measures);
        for ($turn = 1; $turn <= $turns; $turn++) {
            $pass($columns, $count, $flat, $number, $labels, $upper, $lower, $sums, self::halves($flat, $number, $measures), $turn === 1, $turn === 1);
            self::fill($columns, $count, $flat, $labels, $upper, $sums, $number, $measures);
            $moved = array_fill(0, $number, 0.0);
            $farthest = 0.0;
            for ($cluster = 0; $cluster < $number; $cluster++) {
                $size = $sums[$cluster * ($measures + 1)];
                $squares = 0.0;
                for ($m = 0; $m < $measures; $m++) {
                    $now = $sums[$cluster * ($measures + 1) + 1 + $m] / max(1.0, $size);
                    $squares += ($now - $flat[$cluster * $measures + $m]) ** 2;
                    $flat[$cluster * $measures + $m] = $now;
                }
                $moved[$cluster] = sqrt($squares);
                $farthest = max($farthest, $moved[$cluster]);
            }
            if ($farthest <= $tolerance * $spread || $turn >= $turns) {
                break;
            }
            self::loosen($upper, $lower, $labels, $moved, $farthest, $count);
        }
        // where the centres came to rest each case is asked once more
        $pass($columns, $count, $flat, $number, $labels, $upper, $lower, $sums, self::halves($flat, $number, $measures), true, false);
        [$sizes, $squares] = self::sizes($columns, $count, $flat, $labels, $number, $measures);

        return new self(array_chunk($flat, max(1, $measures)), $sizes, $squares, min($turn, $turns), $labels);
    }

    /**
     * @param  list<list<float>>  $columns
     * @return list<float> by cluster, the root mean square distance of its cases from its centre
     */
    public function spreads(array $columns): array
    {
        $squares = array_fill(0, count($this->centres), 0.0);
        foreach ($columns as $m => $column) {
            foreach (self::squaresOf($column, $this->labels, array_column($this->centres, $m), count($this->centres), count($column)) as $cluster => $some) {
                $squares[$cluster] += $some;
            }
        }

        return array_map(fn (float $sum, int $size): float => sqrt($sum / max(1, $size)), $squares, $this->sizes);
    }

    /**
     * First centres among the cases: each the more likely the farther it lies from those before it.
     *
     * @param  list<list<float>>  $columns
     * @return list<list<float>> fewer than asked for where there are not as many different cases
     */
    public static function seeds(array $columns, int $count, int $number, int $seed): array
    {
        $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', "clusters $seed", true)));
        $nearest = array_fill(0, $count, INF);
        $case = $random->getInt(0, max(0, $count - 1));
        $centres = [];
        while ($count > 0 && count($centres) < $number) {
            $centre = array_map(fn (array $column): float => $column[$case], $columns);
            $centres[] = $centre;
            $sum = self::nearer($nearest, $columns, $centre, $count, count($columns));
            if ($sum <= 0.0) {
                break;
            }
            $case = self::reached($nearest, $count, $sum * $random->getInt(0, (1 << 53) - 1) / (1 << 53));
        }

        return $centres;
    }

    /**
     * Clusters that are too small are given up, wide ones split, near ones joined.
     *
     * @param  list<list<float>>  $columns
     * @param  list<list<float>>  $centres  to begin with
     * @param  int  $wanted  clusters that are wanted
     * @param  int  $least  cases of a cluster
     * @param  float  $split  deviation in a measure beyond which a cluster is split, in deviations of that measure over all
     * @param  float  $join  distance below which two are joined: root mean square over the measures, in deviations of each over all
     */
    public static function isodata(array $columns, int $count, array $centres, int $wanted, int $least, float $split, float $join, int $turns): self
    {
        $all = array_map(fn (array $column): float => self::deviation(Moments::of($column)), $columns);
        $spreads = array_map(fn (float $deviation): float => $deviation > 0.0 ? $deviation : 1.0, $all);
        for ($turn = 1; ; $turn++) {
            $found = self::means($columns, $count, $centres, 1);
            $large = array_filter($found->sizes, fn (int $size): bool => $size >= $least);
            if ($large !== [] && count($large) < count($found->sizes)) {
                // cases of those given up go to who is next
                $found = self::means($columns, $count, array_values(array_intersect_key($found->centres, $large)), 1);
            }
            if ($turn >= $turns) {
                return new self($found->centres, $found->sizes, $found->squares, $turn, $found->labels);
            }
            $number = count($found->centres);
            $isFew = 2 * $number <= $wanted;
            if (! $isFew && ($turn % 2 === 0 || $number >= 2 * $wanted)) {
                $next = self::joined($found, $spreads, $join);
            } else {
                $next = self::split($found, $columns, $count, $spreads, $split, $least, $isFew);
                $next = $next === $found->centres ? self::joined($found, $spreads, $join) : $next;
            }
            // nothing to split or to join: centres settle
            if ($next === $found->centres) {
                $settled = self::means($columns, $count, $next, $turns - $turn, 1e-4);

                return new self($settled->centres, $settled->sizes, $settled->squares, $turn + $settled->turns, $settled->labels);
            }
            $centres = $next;
        }
    }

    private static function deviation(Moments $moments): float
    {
        return $moments->count > 0 ? sqrt($moments->squares / $moments->count) : 0.0;
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<float>  $spreads
     * @return list<list<float>>
     */
    private static function split(self $found, array $columns, int $count, array $spreads, float $split, int $least, bool $isFew): array
    {
        $number = count($found->centres);
        $squares = [];
        foreach ($columns as $m => $column) {
            $squares[] = self::squaresOf($column, $found->labels, array_column($found->centres, $m), $number, $count);
        }
        $means = array_map(
            fn (int $cluster): float => array_sum(array_map(
                fn (int $m): float => sqrt($squares[$m][$cluster] / max(1, $found->sizes[$cluster])) / $spreads[$m],
                array_keys($columns),
            )),
            range(0, $number - 1),
        );
        $mean = array_sum(array_map(fn (float $own, int $size): float => $own * $size, $means, $found->sizes)) / max(1, $count);
        $centres = [];
        foreach ($found->centres as $cluster => $centre) {
            $widths = array_map(fn (int $m): float => sqrt($squares[$m][$cluster] / max(1, $found->sizes[$cluster])) / $spreads[$m], array_keys($columns));
            $along = (int) array_search(max($widths), $widths, true);
            $isWide = $widths[$along] > $split && (($means[$cluster] > $mean && $found->sizes[$cluster] > 2 * ($least + 1)) || $isFew);
            if (! $isWide) {
                $centres[] = $centre;

                continue;
            }
            foreach ([-1.0, 1.0] as $side) {
                $half = $centre;
                $half[$along] += $side * self::APART * $widths[$along] * $spreads[$along];
                $centres[] = $half;
            }
        }

        return $centres;
    }

    /**
     * @param  list<float>  $spreads
     * @return list<list<float>>
     */
    private static function joined(self $found, array $spreads, float $join): array
    {
        $pairs = [];
        foreach ($found->centres as $a => $one) {
            for ($b = $a + 1; $b < count($found->centres); $b++) {
                $squares = array_sum(
                    array_map(fn (float $x, float $y, float $spread): float => (($x - $y) / $spread) ** 2, $one, $found->centres[$b], $spreads),
                );
                $distance = sqrt($squares / count($spreads));
                if ($distance < $join) {
                    $pairs["$a $b"] = $distance;
                }
            }
        }
        asort($pairs);
        $centres = $found->centres;
        $taken = [];
        foreach (array_keys($pairs) as $pair) {
            [$a, $b] = array_map(intval(...), explode(' ', $pair));
            if (count($taken) >= 2 * self::PAIRS || isset($taken[$a]) || isset($taken[$b])) {
                continue;
            }
            $taken[$a] = $taken[$b] = true;
            [$sizeA, $sizeB] = [$found->sizes[$a], $found->sizes[$b]];
            $centres[$a] = array_map(fn (float $x, float $y): float => ($x * $sizeA + $y * $sizeB) / max(1, $sizeA + $sizeB), $centres[$a], $centres[$b]);
            unset($centres[$b]);
        }

        return array_values($centres);
    }

    /**
     * @param  list<float>  $column
     * @param  list<int>  $labels
     * @param  list<float>  $means
     * @return list<float> sums of squared deviations by cluster
     */
    private static function squaresOf(array $column, array $labels, array $means, int $number, int $count): array
    {
        $squares = array_fill(0, $number, 0.0);
        for ($i = 0; $i < $count; $i++) {
            $label = $labels[$i];
            $apart = $column[$i] - $means[$label];
            $squares[$label] += $apart * $apart;
        }

        return $squares;
    }

    /**
     * @param  list<float>  $nearest  squared distances to the nearest centre so far, made less
     * @param  list<list<float>>  $columns
     * @param  list<float>  $centre
     * @return float their sum
     */
    private static function nearer(array &$nearest, array $columns, array $centre, int $count, int $measures): float
    {
        $sum = 0.0;
        for ($i = 0; $i < $count; $i++) {
            $distance = 0.0;
            $limit = $nearest[$i];
            for ($m = 0; $m < $measures && $distance < $limit; $m++) {
                $apart = $columns[$m][$i] - $centre[$m];
                $distance += $apart * $apart;
            }
            if ($distance < $limit) {
                $nearest[$i] = $distance;
                $limit = $distance;
            }
            $sum += $limit;
        }

        return $sum;
    }

    /** @param  list<float>  $weights */
    private static function reached(array $weights, int $count, float $wanted): int
    {
        $sum = 0.0;
        $last = 0;
        for ($i = 0; $i < $count; $i++) {
            if ($weights[$i] > 0.0) {
                $last = $i;
                $sum += $weights[$i];
                if ($sum > $wanted) {
                    return $i;
                }
            }
        }

        return $last;
    }

    /**
     * Half the distance of each centre to the nearest other one: what is nearer to it than that belongs to it.
     *
     * @param  list<float>  $flat
     * @return list<float>
     */
    private static function halves(array $flat, int $number, int $measures): array
    {
        $halves = array_fill(0, $number, INF);
        for ($a = 0; $a < $number; $a++) {
            for ($b = 0; $b < $number; $b++) {
                $squares = 0.0;
                for ($m = 0; $m < $measures; $m++) {
                    $squares += ($flat[$a * $measures + $m] - $flat[$b * $measures + $m]) ** 2;
                }
                $halves[$a] = $a === $b ? $halves[$a] : min($halves[$a], 0.5 * sqrt($squares));
            }
        }

        return $halves;
    }

    /**
     * A cluster that no case belongs to begins anew at the case that lies farthest from its own centre.
     *
     * @param  list<list<float>>  $columns
     * @param  list<float>  $flat
     * @param  list<int>  $labels
     * @param  list<float>  $upper
     * @param  list<float>  $sums
     */
    private static function fill(array $columns, int $count, array $flat, array &$labels, array &$upper, array &$sums, int $number, int $measures): void
    {
        for ($cluster = 0; $cluster < $number; $cluster++) {
            if ($sums[$cluster * ($measures + 1)] > 0.0) {
                continue;
            }
            $farthest = -1;
            $most = 0.0;
            for ($i = 0; $i < $count; $i++) {
                $distance = 0.0;
                for ($m = 0; $m < $measures; $m++) {
                    $distance += ($columns[$m][$i] - $flat[$labels[$i] * $measures + $m]) ** 2;
                }
                if ($distance > $most && $sums[$labels[$i] * ($measures + 1)] > 1.0) {
                    [$farthest, $most] = [$i, $distance];
                }
            }
            if ($farthest < 0) {
                continue;
            }
            foreach ([[$labels[$farthest], -1.0], [$cluster, 1.0]] as [$of, $sign]) {
                $sums[$of * ($measures + 1)] += $sign;
                for ($m = 0; $m < $measures; $m++) {
                    $sums[$of * ($measures + 1) + 1 + $m] += $sign * $columns[$m][$farthest];
                }
            }
            $labels[$farthest] = $cluster;
            $upper[$farthest] = INF;
        }
    }

    /**
     * @param  list<float>  $upper
     * @param  list<float>  $lower
     * @param  list<int>  $labels
     * @param  list<float>  $moved
     */
    private static function loosen(array &$upper, array &$lower, array $labels, array $moved, float $farthest, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $upper[$i] += $moved[$labels[$i]];
            $lower[$i] -= $farthest;
        }
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<float>  $flat
     * @param  list<int>  $labels
     * @return array{list<int>, float}
     */
    private static function sizes(array $columns, int $count, array $flat, array $labels, int $number, int $measures): array
    {
        $sizes = array_fill(0, $number, 0);
        $squares = 0.0;
        for ($i = 0; $i < $count; $i++) {
            $label = $labels[$i];
            $sizes[$label]++;
            for ($m = 0; $m < $measures; $m++) {
                $apart = $columns[$m][$i] - $flat[$label * $measures + $m];
                $squares += $apart * $apart;
            }
        }

        return [$sizes, $squares];
    }

    /**
     * One turn over the cases, generated for a number of measures: each goes to the nearest centre, and sums follow those that change.
     *
     * @return \Closure(list<list<float>>, int, list<float>, int, list<int>, list<float>, list<float>, list<float>, list<float>, bool, bool): void
     */
    private static function pass(int $measures): \Closure
    {
        $stride = $measures + 1;
        $kernel = Kernel::of(
            'array $in, int $n, array $c, int $k, array &$labels, array &$upper, array &$lower, array &$sums, array $halves, bool $all, bool $first',
            'void',
        );
        $apart = '$t = $x# - $c[$q + #]; $s += $t * $t;';
        $nearest = function (Kernel $cluster) use ($measures, $apart): void {
            $cluster->text('$s = 0.0;');
            foreach (array_chunk(range(0, $measures - 1), 3) as $some) {
                // a centre that is too far already is left
                $cluster->text($some[0] > 0 ? 'if ($s > $b2) continue;' : '')->each($some, $apart);
            }
            $cluster->text('if ($s < $b1) { $b2 = $b1; $b1 = $s; $at = $cluster; } elseif ($s < $b2) $b2 = $s;');
        };

        return $kernel
            ->loop(fn (Kernel $case): Kernel => $case
                ->text(<<<'PHP'
                    $now = $labels[$i];
                    $most = $halves[$now];
                    if ($lower[$i] > $most) $most = $lower[$i];
                    if (!$all && $upper[$i] < $most) continue;
                    PHP)
                ->each($measures, '$x# = $in[#][$i];')
                ->block('if (!$all)', fn (Kernel $own): Kernel => $own
                    ->text("\$q = \$now * $measures; \$s = 0.0;")
                    ->each($measures, $apart)
                    ->text('$d = sqrt($s); $upper[$i] = $d; if ($d < $most) continue;'))
                ->text('$b1 = INF; $b2 = INF; $at = 0;')
                ->block("for (\$cluster = 0, \$q = 0; \$cluster < \$k; ++\$cluster, \$q += $measures)", $nearest)
                ->text('$upper[$i] = sqrt($b1); $lower[$i] = sqrt($b2);')
                ->block('if ($first || $at !== $now)', fn (Kernel $moved): Kernel => $moved
                    ->text("\$labels[\$i] = \$at; \$q = \$at * $stride; \$sums[\$q] += 1.0;")
                    ->each($measures, '$sums[++$q] += $x#;')
                    ->block('if (!$first)', fn (Kernel $left): Kernel => $left
                        ->text("\$q = \$now * $stride; \$sums[\$q] -= 1.0;")
                        ->each($measures, '$sums[++$q] -= $x#;'))))
            ->compile();
    }
}
