<?php

namespace Chorometra\Core\Stats;

/**
 * Votes of the nearest examples, each of one weight; of those equally far the earlier counts.
 *
 * Source: Cover & Hart 1967, Nearest neighbor pattern classification, IEEE Transactions on Information Theory 13:21–27.
 */
final readonly class NearestNeighbours implements Learner
{
    /** @var list<float> values of one example after the other */
    private array $examples;

    /**
     * @param  list<list<float>>  $columns  values of the examples by measure, standardised
     * @param  list<int>  $answers  the class of each example, from 0
     */
    public function __construct(array $columns, private array $answers, private int $classes, private int $neighbours)
    {
        $examples = [];
        foreach (array_keys($answers) as $i) {
            foreach ($columns as $column) {
                $examples[] = $column[$i];
            }
        }
        $this->examples = $examples;
    }

    public function shares(array $columns, int $count): array
    {
        $shares = array_fill(0, $this->classes, array_fill(0, $count, 0.0));
        self::vote($shares, $columns, $count, $this->examples, $this->answers, count($columns), count($this->answers), $this->classes,
            min($this->neighbours, count($this->answers)));

        return $shares;
    }

    /**
     * @param  list<list<float>>  $shares
     * @param  list<list<float>>  $columns
     * @param  list<float>  $examples
     * @param  list<int>  $answers
     */
    private static function vote(
        array &$shares,
        array $columns,
        int $count,
        array $examples,
        array $answers,
        int $measures,
        int $number,
        int $classes,
        int $most,
    ): void {
        $own = array_fill(0, $measures, 0.0);
        $far = array_fill(0, $most + 1, INF);
        $who = array_fill(0, $most + 1, 0);
        $last = $most - 1;
        $share = 1.0 / $most;
        $fours = $measures - $measures % 4;
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
            for ($k = 0; $k < $most; $k++) {
                $far[$k] = INF;
            }
            $limit = INF;
            for ($example = 0, $at = 0; $example < $number; $example++, $at += $measures) {
                $distance = 0.0;
                // whoever is too far already is left after four measures
                for ($m = 0; $m < $fours && $distance < $limit; $m += 4) {
                    $a = $own[$m] - $examples[$at + $m];
                    $b = $own[$m + 1] - $examples[$at + $m + 1];
                    $c = $own[$m + 2] - $examples[$at + $m + 2];
                    $d = $own[$m + 3] - $examples[$at + $m + 3];
                    $distance += $a * $a + $b * $b + ($c * $c + $d * $d);
                }
                for (; $m < $measures && $distance < $limit; $m++) {
                    $a = $own[$m] - $examples[$at + $m];
                    $distance += $a * $a;
                }
                if ($distance < $limit) {
                    for ($k = $last; $k > 0 && $far[$k - 1] > $distance; $k--) {
                        $far[$k] = $far[$k - 1];
                        $who[$k] = $who[$k - 1];
                    }
                    $far[$k] = $distance;
                    $who[$k] = $example;
                    $limit = $far[$last];
                }
            }
            for ($k = 0; $k < $most; $k++) {
                $shares[$answers[$who[$k]]][$i] += $share;
            }
        }
    }
}
