<?php

namespace Chorometra\Core\Stats;

/**
 * Votes of the nearest examples, each of one weight; of those equally far the earlier counts.
 *
 * Examples stand in a tree of boxes, halved along their longest side, of which most are too far to be looked into.
 *
 * Source: Cover & Hart 1967, Nearest neighbor pattern classification, IEEE Transactions on Information Theory 13:21–27; the tree: Friedman, Bentley &
 * Finkel 1977, An algorithm for finding best matches in logarithmic expected time, ACM Transactions on Mathematical Software 3:209–226.
 */
final class NearestNeighbours
{
    /** Examples of a box that is not halved any more. */
    private const LEAF = 8;

    /** @var list<float> values of one example after the other, box by box */
    private array $examples = [];

    /** @var list<int> the place that each was given at */
    private array $places = [];

    /**
     * @var list<int> by box: the measure that it is halved along, −1 for none; the box below it, the one above follows; its first example, the one
     *   after its last
     */
    private array $boxes = [];

    /** @var list<float> by box: where it is halved, as the highest value below and the lowest above */
    private array $halves = [];

    /**
     * @param  list<list<float>>  $columns  values of the examples by measure, standardised
     * @param  list<int>  $answers  the class of each example, from 0
     */
    public function __construct(array $columns, private readonly array $answers, private readonly int $classes, private readonly int $neighbours)
    {
        $open = [[0, array_keys($answers)]];
        $this->boxes = [-1, 0, 0, 0];
        $this->halves = [0.0, 0.0];
        while ($open !== []) {
            [$box, $members] = array_pop($open);
            $along = count($members) > self::LEAF ? self::longest($columns, $members) : null;
            if ($along === null) {
                $this->boxes[4 * $box + 2] = count($this->places);
                foreach ($members as $member) {
                    $this->places[] = $member;
                    foreach ($columns as $column) {
                        $this->examples[] = $column[$member];
                    }
                    // compared three at a time: what is not there is alike
                    for ($more = count($columns); $more % 3 !== 0; $more++) {
                        $this->examples[] = 0.0;
                    }
                }
                $this->boxes[4 * $box + 3] = count($this->places);

                continue;
            }
            $column = $columns[$along];
            usort($members, fn (int $a, int $b): int => $column[$a] <=> $column[$b] ?: $a <=> $b);
            $half = count($members) >> 1;
            [$this->halves[2 * $box], $this->halves[2 * $box + 1]] = [$column[$members[$half - 1]], $column[$members[$half]]];
            $below = count($this->boxes) >> 2;
            [$this->boxes[4 * $box], $this->boxes[4 * $box + 1]] = [$along, $below];
            array_push($this->boxes, -1, 0, 0, 0, -1, 0, 0, 0);
            array_push($this->halves, 0.0, 0.0, 0.0, 0.0);
            $open[] = [$below + 1, array_slice($members, $half)];
            $open[] = [$below, array_slice($members, 0, $half)];
        }
    }

    /**
     * @param  list<list<float>>  $columns  values by measure, one for each case
     * @return list<list<float>> by class, the share of what speaks for it in each case, 0 to 1; NaN where a value is missing
     */
    public function shares(array $columns, int $count): array
    {
        $shares = array_fill(0, $this->classes, array_fill(0, $count, 0.0));
        $most = min($this->neighbours, count($this->answers));
        self::vote(
            $shares,
            $columns,
            $count,
            $this->examples,
            $this->places,
            $this->answers,
            $this->boxes,
            $this->halves,
            count($columns),
            $this->classes,
            $most,
        );

        return $shares;
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<int>  $members
     */
    private static function longest(array $columns, array $members): ?int
    {
        $along = null;
        $most = 0.0;
        foreach ($columns as $measure => $column) {
            [$least, $greatest] = [INF, -INF];
            foreach ($members as $member) {
                $value = $column[$member];
                $least = $value < $least ? $value : $least;
                $greatest = $value > $greatest ? $value : $greatest;
            }
            if ($greatest - $least > $most) {
                [$along, $most] = [$measure, $greatest - $least];
            }
        }

        return $along;
    }

    /**
     * @param  list<list<float>>  $shares
     * @param  list<list<float>>  $columns
     * @param  list<float>  $examples
     * @param  list<int>  $places
     * @param  list<int>  $answers
     * @param  list<int>  $boxes
     * @param  list<float>  $halves
     */
    private static function vote(
        array &$shares,
        array $columns,
        int $count,
        array $examples,
        array $places,
        array $answers,
        array $boxes,
        array $halves,
        int $measures,
        int $classes,
        int $most,
    ): void {
        $stride = 3 * intdiv($measures + 2, 3);
        $own = array_fill(0, $stride, 0.0);
        $found = array_fill(0, $most, 0);
        $far = array_fill(0, $most + 1, INF);
        $who = array_fill(0, $most + 1, 0);
        $stack = array_fill(0, 128, 0);
        $bounds = array_fill(0, 128, 0.0);
        $isWarm = false;
        $last = $most - 1;
        $share = 1.0 / $most;
        for ($i = 0; $i < $count; $i++) {
            $sum = 0.0;
            for ($m = 0; $m < $measures; $m++) {
                $own[$m] = $columns[$m][$i];
                $sum += $own[$m];
            }
            if ($sum - $sum !== 0.0) {
                for ($class = 0; $class < $classes; $class++) {
                    $shares[$class][$i] = NAN;
                }

                continue;
            }
            // those of the pixel before are near as a rule: none that counts is farther than they are
            $limit = $isWarm ? 0.0 : INF;
            for ($k = 0; $k < $most; $k++) {
                if ($isWarm) {
                    $distance = 0.0;
                    for ($m = 0, $at = $found[$k] * $stride; $m < $stride; $m++) {
                        $a = $own[$m] - $examples[$at + $m];
                        $distance += $a * $a;
                    }
                    $limit = $distance > $limit ? $distance : $limit;
                }
                $far[$k] = INF;
                $who[$k] = 1 << 62;
            }
            $limit *= 1.0000000001;
            $isWarm = true;
            $stack[0] = 0;
            $bounds[0] = 0.0;
            $depth = 1;
            while ($depth > 0) {
                $depth--;
                if ($bounds[$depth] > $limit) {
                    continue;
                }
                $box = $stack[$depth];
                $at = $box << 2;
                $along = $boxes[$at];
                while ($along > -1) {
                    $next = $boxes[$at + 1];
                    $value = $own[$along];
                    $below = $value - $halves[$box + $box];
                    $above = $halves[$box + $box + 1] - $value;
                    if ($below <= $above) {
                        $stack[$depth] = $next + 1;
                        $bounds[$depth] = $above > 0.0 ? $above * $above : 0.0;
                        $box = $next;
                    } else {
                        $stack[$depth] = $next;
                        $bounds[$depth] = $below > 0.0 ? $below * $below : 0.0;
                        $box = $next + 1;
                    }
                    if ($bounds[$depth] <= $limit) {
                        $depth++;
                    }
                    $at = $box << 2;
                    $along = $boxes[$at];
                }
                $end = $boxes[$at + 3];
                for ($example = $boxes[$at + 2], $at = $example * $stride; $example < $end; $example++, $at += $stride) {
                    $distance = 0.0;
                    for ($m = 0; $m < $stride && $distance <= $limit; $m += 3) {
                        $a = $own[$m] - $examples[$at + $m];
                        $b = $own[$m + 1] - $examples[$at + $m + 1];
                        $c = $own[$m + 2] - $examples[$at + $m + 2];
                        $distance += $a * $a + $b * $b + $c * $c;
                    }
                    if ($distance > $limit) {
                        continue;
                    }
                    $place = $places[$example];
                    if ($distance === $limit && $place > $who[$last]) {
                        continue;
                    }
                    for ($k = $last; $k > 0 && ($far[$k - 1] > $distance || ($far[$k - 1] === $distance && $who[$k - 1] > $place)); $k--) {
                        $far[$k] = $far[$k - 1];
                        $who[$k] = $who[$k - 1];
                        $found[$k] = $found[$k - 1];
                    }
                    $far[$k] = $distance;
                    $who[$k] = $place;
                    $found[$k] = $example;
                    $limit = $far[$last] < $limit ? $far[$last] : $limit;
                }
            }
            for ($k = 0; $k < $most; $k++) {
                $shares[$answers[$who[$k]]][$i] += $share;
            }
        }
    }
}
