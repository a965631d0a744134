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
final readonly class RandomForest implements Learner
{
    /**
     * @param  list<array{list<int>, list<float>, list<int>, list<float>}>  $trees  of each, by node: the measure that it asks, -1 in a leaf; its limit,
     *   to the left up to there; the left node, the right one follows it; and in a leaf, from that number on, the shares of the classes
     */
    private function __construct(private array $trees, private int $classes) {}

    /**
     * @param  list<list<float>>  $columns  values of the examples by measure, without NaN
     * @param  list<int>  $answers  the class of each example, from 0
     * @param  int|null  $tried  measures looked at for each fork; the root of their number where null
     * @param  bool  $draws  whether each tree has a draw of its own, or all examples
     */
    public static function grown(array $columns, array $answers, int $classes, int $trees, int $seed, ?int $tried = null, bool $draws = true): self
    {
        $ranks = array_map(self::ranks(...), $columns);
        $tried ??= max(1, (int) sqrt(count($columns)));
        $count = count($answers);
        $grown = [];
        for ($tree = 0; $tree < $trees; $tree++) {
            // each tree has its own numbers: it is the same whichever were grown before
            $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', "$seed $tree", true)));
            $cases = range(0, $count - 1);
            if ($draws) {
                foreach ($cases as $i => $case) {
                    $cases[$i] = $random->getInt(0, $count - 1);
                }
            }
            $grown[] = self::tree($columns, $ranks, $answers, $classes, $cases, $tried, $random);
        }

        return new self($grown, $classes);
    }

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
     * @return list<int> place of each among the values in order; those alike have one
     */
    private static function ranks(array $values): array
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

        return $ranks;
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<list<int>>  $ranks
     * @param  list<int>  $answers
     * @param  list<int>  $cases
     * @return array{list<int>, list<float>, list<int>, list<float>}
     */
    private static function tree(array $columns, array $ranks, array $answers, int $classes, array $cases, int $tried, Randomizer $random): array
    {
        $measure = [-1];
        $limit = [0.0];
        $next = [0];
        $leaves = [];
        $open = [[0, $cases]];
        while ($open !== []) {
            [$node, $cases] = array_pop($open);
            $counts = array_fill(0, $classes, 0);
            foreach ($cases as $case) {
                $counts[$answers[$case]]++;
            }
            $split = in_array(count($cases), $counts, true) ? null : self::split($columns, $ranks, $answers, $classes, $cases, $counts, $tried, $random);
            if ($split === null) {
                $next[$node] = count($leaves);
                foreach ($counts as $some) {
                    $leaves[] = $some / count($cases);
                }

                continue;
            }
            [$measure[$node], $limit[$node]] = $split;
            $next[$node] = count($measure);
            $sides = [[], []];
            foreach ($cases as $case) {
                $sides[$columns[$measure[$node]][$case] <= $limit[$node] ? 0 : 1][] = $case;
            }
            foreach ($sides as $side) {
                $open[] = [count($measure), $side];
                $measure[] = -1;
                $limit[] = 0.0;
                $next[] = 0;
            }
        }

        return [$measure, $limit, $next, $leaves];
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<list<int>>  $ranks
     * @param  list<int>  $answers
     * @param  list<int>  $cases
     * @param  list<int>  $counts  by class
     * @return array{int, float}|null the measure and its limit; null where none parts the examples
     */
    private static function split(
        array $columns,
        array $ranks,
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
            $keys = [];
            foreach ($cases as $case) {
                $keys[] = $ranks[$measure][$case] << 32 | $case;
            }
            sort($keys);
            [$gain, $at] = self::parted($keys, $answers, $counts, $classes, count($keys));
            if ($at > 0 && $gain > $most) {
                [$below, $above] = [$columns[$measure][$keys[$at - 1] & 0xFFFFFFFF], $columns[$measure][$keys[$at] & 0xFFFFFFFF]];
                $halfway = 0.5 * $below + 0.5 * $above;
                // between neighbours among the numbers there is none
                $best = [$measure, $halfway < $above ? $halfway : $below];
                $most = $gain;
            }
        }

        return $best;
    }

    /**
     * Where cases in order are best cut in two: most is what is left of the sum of squares of the classes' counts over both sides.
     *
     * @param  list<int>  $keys  rank times 2³², and case
     * @param  list<int>  $answers
     * @param  list<int>  $right  counts by class
     * @return array{float, int} and how many lie below; 0 where all are alike
     */
    private static function parted(array $keys, array $answers, array $right, int $classes, int $count): array
    {
        $left = array_fill(0, $classes, 0);
        [$squaresLeft, $squaresRight] = [0, 0];
        for ($class = 0; $class < $classes; $class++) {
            $squaresRight += $right[$class] * $right[$class];
        }
        $most = -INF;
        $at = 0;
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
                    $at = $i;
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
