<?php

namespace Chorometra\Core\Stats;

use Random\Engine\Xoshiro256StarStar;
use Random\Randomizer;

/**
 * Trees that each learn from a draw of the examples with replacement, looking at some measures drawn anew at each fork for the split that
 * leaves the least Gini impurity; grown until the examples of a leaf are of one class or alike. Leaves tell shares of classes, the forest their mean.
 *
 * Source: Breiman 2001, Random forests, Machine Learning 45:5–32; splits halfway between values: Breiman et al. 1984, Classification and
 * Regression Trees (from memory).
 */
final readonly class RandomForest
{
    /** Values of a measure that are told apart; of more, quantiles. */
    private const BINS = 256;

    /** Examples of a node from which on they are counted by bin rather than sorted. */
    private const MANY = 192;

    /**
     * @param  list<array{list<int>, list<float>, list<int>, list<float>}>  $trees  of each, by node: the measure that it asks, -1 in a leaf; its limit,
     *   to the left up to there; the left node, the right one follows it; and in a leaf, from that number on, the shares of the classes
     */
    private function __construct(public array $trees, private int $classes) {}

    /**
     * @param  list<list<float>>  $columns  values of the examples by measure, without NaN
     * @param  list<int>  $answers  the class of each example, from 0
     * @param  int|null  $tried  measures looked at for each fork; the root of their number where null
     * @param  bool  $draws  whether each tree has a draw of its own, or all examples
     * @param  int  $depth  forks one below the other at most
     * @param  int  $from  the first tree that is grown, where others are grown elsewhere
     */
    public static function grown(
        array $columns,
        array $answers,
        int $classes,
        int $trees,
        int $seed,
        ?int $tried = null,
        bool $draws = true,
        int $depth = PHP_INT_MAX,
        int $from = 0,
    ): self {
        $bins = array_map(self::bins(...), $columns);
        $tried ??= max(1, (int) sqrt(count($columns)));
        $count = count($answers);
        $grown = [];
        for ($tree = $from; $tree < $from + $trees; $tree++) {
            // each tree has its own numbers: it is the same whichever were grown before
            $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', "$seed $tree", true)));
            $cases = range(0, $count - 1);
            if ($draws) {
                foreach ($cases as $i => $case) {
                    $cases[$i] = $random->getInt(0, $count - 1);
                }
            }
            $grown[] = self::tree($columns, $bins, $answers, $classes, $cases, $tried, $depth, $random);
        }

        return new self($grown, $classes);
    }

    /**
     * A forest that was grown before.
     *
     * @param  list<array{list<int>, list<float>, list<int>, list<float>}>  $trees
     */
    public static function of(array $trees, int $classes): self
    {
        return new self($trees, $classes);
    }

    /**
     * @param  list<list<float>>  $columns  values by measure, one for each case
     * @return list<list<float>> by class, the share of what speaks for it in each case, 0 to 1; NaN where a value is missing
     */
    public function shares(array $columns, int $count): array
    {
        $shares = array_fill(0, $this->classes, array_fill(0, $count, 0.0));
        $weight = 1.0 / count($this->trees);
        foreach ($this->trees as [$measure, $limit, $next, $leaves]) {
            self::fall($shares, $columns, $count, $measure, $limit, $next, $leaves, $this->classes, $weight);
        }
        foreach ($columns as $column) {
            self::lose($shares, $column, $count, $this->classes);
        }

        return $shares;
    }

    /**
     * @param  list<float>  $values
     * @return list<int> place of each among the values in order; those alike have one, and so have neighbours where there are many
     */
    private static function bins(array $values): array
    {
        $order = $values;
        asort($order);
        $ranks = array_fill(0, count($values), 0);
        $rank = -1;
        $before = NAN;
        foreach ($order as $i => $value) {
            $rank += $value === $before ? 0 : 1;
            $before = $value;
            $ranks[$i] = $rank;
        }
        if ($rank < self::BINS) {
            return $ranks;
        }
        $place = 0;
        $bin = 0;
        $before = -1;
        foreach ($order as $i => $value) {
            // those alike stay in one, the one of the first
            $bin = $ranks[$i] === $before ? $bin : intdiv($place * self::BINS, count($values));
            $before = $ranks[$i];
            $ranks[$i] = $bin;
            $place++;
        }

        return $ranks;
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<list<int>>  $bins
     * @param  list<int>  $answers
     * @param  list<int>  $cases
     * @return array{list<int>, list<float>, list<int>, list<float>}
     */
    private static function tree(
        array $columns,
        array $bins,
        array $answers,
        int $classes,
        array $cases,
        int $tried,
        int $depth,
        Randomizer $random,
    ): array {
        $measure = [-1];
        $limit = [0.0];
        $next = [0];
        $leaves = [];
        $open = [[0, $cases, 0]];
        while ($open !== []) {
            [$node, $cases, $down] = array_pop($open);
            $counts = array_fill(0, $classes, 0);
            self::count($counts, $cases, $answers, count($cases));
            $split = $down >= $depth || in_array(count($cases), $counts, true)
                ? null
                : self::split($columns, $bins, $answers, $classes, $cases, $counts, $tried, $random);
            if ($split === null) {
                $next[$node] = count($leaves);
                foreach ($counts as $some) {
                    $leaves[] = $some / count($cases);
                }

                continue;
            }
            [$measure[$node], $limit[$node]] = $split;
            $next[$node] = count($measure);
            foreach (self::sides($columns[$measure[$node]], $cases, count($cases), $limit[$node]) as $side) {
                $open[] = [count($measure), $side, $down + 1];
                $measure[] = -1;
                $limit[] = 0.0;
                $next[] = 0;
            }
        }

        return [$measure, $limit, $next, $leaves];
    }

    /**
     * @param  list<int>  $counts  by class, to which it adds
     * @param  list<int>  $cases
     * @param  list<int>  $answers
     */
    private static function count(array &$counts, array $cases, array $answers, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $counts[$answers[$cases[$i]]]++;
        }
    }

    /**
     * @param  list<float>  $column
     * @param  list<int>  $cases
     * @return array{list<int>, list<int>} those up to the limit, and those above
     */
    private static function sides(array $column, array $cases, int $count, float $limit): array
    {
        $below = $above = [];
        for ($i = 0; $i < $count; $i++) {
            $case = $cases[$i];
            if ($column[$case] <= $limit) {
                $below[] = $case;
            } else {
                $above[] = $case;
            }
        }

        return [$below, $above];
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<list<int>>  $bins
     * @param  list<int>  $answers
     * @param  list<int>  $cases
     * @param  list<int>  $counts  by class
     * @return array{int, float}|null the measure and its limit; null where none parts the examples
     */
    private static function split(
        array $columns,
        array $bins,
        array $answers,
        int $classes,
        array $cases,
        array $counts,
        int $tried,
        Randomizer $random,
    ): ?array {
        $best = null;
        $most = -INF;
        foreach ($random->shuffleArray(array_keys($columns)) as $looked => $measure) {
            // beyond those drawn only as long as nothing was found
            if ($looked >= $tried && $best !== null) {
                break;
            }
            [$gain, $below] = count($cases) < self::MANY
                ? self::parted(self::sorted($bins[$measure], $cases, count($cases)), $answers, $counts, $classes, count($cases))
                : self::counted($bins[$measure], $cases, $answers, $counts, $classes, count($cases));
            if ($below > -1 && $gain > $most) {
                $best = [$measure, $below];
                $most = $gain;
            }
        }
        if ($best === null) {
            return null;
        }
        [$measure, $below] = $best;
        [$low, $high] = self::around($columns[$measure], $bins[$measure], $cases, count($cases), $below);
        $halfway = 0.5 * $low + 0.5 * $high;

        // between neighbours among the numbers there is none
        return [$measure, $halfway < $high ? $halfway : $low];
    }

    /**
     * The highest value up to a bin, and the lowest beyond.
     *
     * @param  list<float>  $column
     * @param  list<int>  $bins
     * @param  list<int>  $cases
     * @return array{float, float}
     */
    private static function around(array $column, array $bins, array $cases, int $count, int $bin): array
    {
        $low = -INF;
        $high = INF;
        for ($i = 0; $i < $count; $i++) {
            $case = $cases[$i];
            $value = $column[$case];
            if ($bins[$case] <= $bin) {
                $low = $value > $low ? $value : $low;
            } else {
                $high = $value < $high ? $value : $high;
            }
        }

        return [$low, $high];
    }

    /**
     * @param  list<int>  $bins
     * @param  list<int>  $cases
     * @return list<int> bin times 2³², and case, in order
     */
    private static function sorted(array $bins, array $cases, int $count): array
    {
        $keys = [];
        for ($i = 0; $i < $count; $i++) {
            $keys[] = $bins[$cases[$i]] << 32 | $cases[$i];
        }
        sort($keys);

        return $keys;
    }

    /**
     * As `parted`, for many cases: counted by bin and class.
     *
     * @param  list<int>  $bins
     * @param  list<int>  $cases
     * @param  list<int>  $answers
     * @param  list<int>  $right
     * @return array{float, int}
     */
    private static function counted(array $bins, array $cases, array $answers, array $right, int $classes, int $count): array
    {
        $table = array_fill(0, self::BINS * $classes, 0);
        for ($i = 0; $i < $count; $i++) {
            $case = $cases[$i];
            $table[$bins[$case] * $classes + $answers[$case]]++;
        }
        $left = array_fill(0, $classes, 0);
        [$squaresLeft, $squaresRight] = [0, 0];
        for ($class = 0; $class < $classes; $class++) {
            $squaresRight += $right[$class] * $right[$class];
        }
        $most = -INF;
        $at = -1;
        $seen = 0;
        for ($bin = 0, $k = 0; $bin < self::BINS && $seen < $count; $bin++) {
            $before = $seen;
            for ($class = 0; $class < $classes; $class++, $k++) {
                $some = $table[$k];
                if ($some !== 0) {
                    $squaresLeft += $some * ($left[$class] + $left[$class] + $some);
                    $squaresRight -= $some * ($right[$class] + $right[$class] - $some);
                    $left[$class] += $some;
                    $right[$class] -= $some;
                    $seen += $some;
                }
            }
            if ($seen > $before && $seen < $count) {
                $gain = $squaresLeft / $seen + $squaresRight / ($count - $seen);
                if ($gain > $most) {
                    $most = $gain;
                    $at = $bin;
                }
            }
        }

        return [$most, $at];
    }

    /**
     * Where cases in order are best cut in two: most is what is left of the sum of squares of the classes' counts over both sides.
     *
     * @param  list<int>  $keys  bin times 2³², and case
     * @param  list<int>  $answers
     * @param  list<int>  $right  counts by class
     * @return array{float, int} and the last bin below; -1 where all are alike
     */
    private static function parted(array $keys, array $answers, array $right, int $classes, int $count): array
    {
        $left = array_fill(0, $classes, 0);
        [$squaresLeft, $squaresRight] = [0, 0];
        for ($class = 0; $class < $classes; $class++) {
            $squaresRight += $right[$class] * $right[$class];
        }
        $most = -INF;
        $at = -1;
        for ($i = 1; $i < $count; $i++) {
            $class = $answers[$keys[$i - 1] & 0xFFFFFFFF];
            $squaresLeft += 2 * $left[$class] + 1;
            $squaresRight -= 2 * $right[$class] - 1;
            $left[$class]++;
            $right[$class]--;
            if ($keys[$i - 1] >> 32 !== $keys[$i] >> 32) {
                $gain = $squaresLeft / $i + $squaresRight / ($count - $i);
                if ($gain > $most) {
                    $most = $gain;
                    $at = $keys[$i - 1] >> 32;
                }
            }
        }

        return [$most, $at];
    }

    /**
     * @param  list<list<float>>  $shares  to which a tree adds
     * @param  list<list<float>>  $columns
     * @param  list<int>  $measure
     * @param  list<float>  $limit
     * @param  list<int>  $next
     * @param  list<float>  $leaves
     */
    private static function fall(
        array &$shares,
        array $columns,
        int $count,
        array $measure,
        array $limit,
        array $next,
        array $leaves,
        int $classes,
        float $weight,
    ): void {
        for ($i = 0; $i < $count; $i++) {
            $node = 0;
            $asked = $measure[0];
            while ($asked > -1) {
                $node = $next[$node] + ($columns[$asked][$i] <= $limit[$node] ? 0 : 1);
                $asked = $measure[$node];
            }
            $from = $next[$node];
            for ($class = 0; $class < $classes; $class++) {
                $shares[$class][$i] += $weight * $leaves[$from + $class];
            }
        }
    }

    /**
     * @param  list<list<float>>  $shares
     * @param  list<float>  $column
     */
    private static function lose(array &$shares, array $column, int $count, int $classes): void
    {
        for ($i = 0; $i < $count; $i++) {
            if ($column[$i] - $column[$i] !== 0.0) {
                for ($class = 0; $class < $classes; $class++) {
                    $shares[$class][$i] = NAN;
                }
            }
        }
    }
}
