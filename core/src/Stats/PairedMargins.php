<?php

namespace Chorometra\Core\Stats;

use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;
use Random\Engine\Xoshiro256StarStar;
use Random\Randomizer;

/** Support vectors between each pair of classes: (0, 1), (0, 2) … (1, 2) …. */
final class PairedMargins
{
    /** Parts of the samples that decisions are made about by the others, from which probabilities are fitted. */
    private const FOLDS = 5;

    /**
     * The usual gamma: one over the number of bands and the variance of all values.
     *
     * @param  list<list<float>>  $columns
     */
    public static function scale(array $columns): float
    {
        $moments = Moments::of(array_merge(...$columns));

        return $moments->squares > 0.0 ? $moments->count / $moments->squares / count($columns) : 1.0;
    }

    /**
     * @param  list<list<float>>  $columns  values of the samples by band
     * @param  list<list<int>>  $byClass  samples of each class, one at least
     * @param  float|null  $gamma  null: linear
     * @return array{weights: list<list<float>>, offsets: list<float>, sigmoids: list<array{float, float}>, open: int} by pair, weights by sample; and
     *   how many pairs were given up before they settled
     */
    public static function learnt(array $columns, array $byClass, float $cost, ?float $gamma, int $seed, Context $context): array
    {
        $pairs = self::pairs(count($byClass));
        $found = Workers::all(count($pairs), $context, 'comparing classes', function (int $pair) use ($pairs, $columns, $byClass, $cost, $gamma, $seed): array {
            [$a, $b] = $pairs[$pair];
            $cases = [...$byClass[$a], ...$byClass[$b]];
            $signs = [...array_fill(0, count($byClass[$a]), 1.0), ...array_fill(0, count($byClass[$b]), -1.0)];
            $own = array_map(fn (array $column): array => array_map(fn (int $case): float => $column[$case], $cases), $columns);
            $kernel = new KernelRows($own, count($cases), $gamma);
            $machine = SupportVectors::between($kernel, $signs, $cost);

            return [array_filter(array_combine($cases, $machine->weights)), $machine->offset,
                self::sigmoid($machine, $kernel, $signs, $cost, "$seed $a $b"), $machine->hasConverged];
        });
        $none = array_fill(0, array_sum(array_map(count(...), $byClass)), 0.0);

        return [
            'weights' => array_map(fn (array $one): array => array_values(array_replace($none, $one[0])), $found),
            'offsets' => array_column($found, 1),
            'sigmoids' => array_column($found, 2),
            'open' => count(array_filter($found, fn (array $one): bool => ! $one[3])),
        ];
    }

    /**
     * The cost and the gamma by which the most samples are given their class by what was learnt from the others.
     *
     * @param  list<list<float>>  $columns
     * @param  list<list<int>>  $byClass
     * @param  list<int>  $folds  the part of each sample, from 0: parts are left out in turn
     * @param  list<float|null>  $gammas
     * @param  list<float>  $costs
     * @return array{float, float|null, float} with the share that agree; of those as good the first, so that borders bend the least
     */
    public static function chosen(array $columns, array $byClass, array $folds, array $gammas, array $costs, Context $context): array
    {
        $parts = max($folds) + 1;
        $right = [];
        Workers::run(count($gammas) * $parts, $context, 'choosing cost and gamma', function (int $task) use (
            $columns,
            $byClass,
            $folds,
            $gammas,
            $costs,
            $parts,
        ): array {
            $kernel = new KernelRows($columns, count($folds), $gammas[intdiv($task, $parts)]);
            $held = array_keys($folds, $task % $parts, true);

            return array_map(fn (float $cost): int => self::right($kernel, $byClass, $cost, $held), $costs);
        }, function (int $task, mixed $counts) use (&$right, $parts): void {
            foreach ($counts as $cost => $count) {
                $right[intdiv($task, $parts)][$cost] = ($right[intdiv($task, $parts)][$cost] ?? 0) + $count;
            }
        });
        $best = [$costs[0], $gammas[0], -1];
        foreach ($gammas as $g => $gamma) {
            foreach ($costs as $c => $cost) {
                $best = $right[$g][$c] > $best[2] ? [$cost, $gamma, $right[$g][$c]] : $best;
            }
        }

        return [$best[0], $best[1], $best[2] / count($folds)];
    }

    /**
     * Parts of samples, so that groups stay together: the samples of one group are alike. Where a class has but one group, its samples are parted.
     *
     * @param  list<list<int>>  $byClass
     * @param  list<int>  $groups  by sample
     * @return list<int> part of each sample, from 0
     */
    public static function folds(array $byClass, array $groups, int $parts, int $seed): array
    {
        $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', "folds $seed", true)));
        $folds = [];
        $next = 0;
        foreach ($byClass as $cases) {
            $of = [];
            foreach ($cases as $case) {
                $of[$groups[$case]][] = $case;
            }
            $of = count($of) > 1 ? array_values($of) : array_map(fn (int $case): array => [$case], $cases);
            foreach ($random->shuffleArray($of) as $some) {
                foreach ($some as $case) {
                    $folds[$case] = $next % $parts;
                }
                $next++;
            }
        }
        ksort($folds);

        return array_values($folds);
    }

    /**
     * Of classes with as many votes the first counts.
     *
     * @param  list<list<float>>  $decisions  by pair, above 0 for the first of its classes
     * @return list<int> the class of each case, from 0
     */
    public static function voted(array $decisions, int $count, int $classes): array
    {
        $voted = [];
        $none = array_fill(0, max(1, $classes), 0);
        for ($i = 0; $i < $count; $i++) {
            $votes = $none;
            for ($a = 0, $pair = 0; $a < $classes; $a++) {
                for ($b = $a + 1; $b < $classes; $b++, $pair++) {
                    $votes[$decisions[$pair][$i] > 0.0 ? $a : $b]++;
                }
            }
            $voted[] = (int) array_search(max($votes), $votes, true);
        }

        return $voted;
    }

    /** @return list<array{int, int}> */
    private static function pairs(int $classes): array
    {
        $pairs = [];
        for ($a = 0; $a < $classes; $a++) {
            for ($b = $a + 1; $b < $classes; $b++) {
                $pairs[] = [$a, $b];
            }
        }

        return $pairs;
    }

    /**
     * Fitted to what is decided about samples without them. Of a few, the rest knows too little, and the border itself decides.
     *
     * @param  list<float>  $signs
     * @return array{float, float}
     */
    private static function sigmoid(SupportVectors $machine, KernelRows $kernel, array $signs, float $cost, string $seed): array
    {
        $first = count(array_keys($signs, 1.0, true));
        $fitted = min($first, count($signs) - $first) < self::FOLDS ? null : Sigmoid::fitted(self::unseen($kernel, $signs, $cost, $seed), $signs);

        // never the other way round, where the two can't be told apart
        return $fitted !== null && $fitted[0] < 0.0 ? $fitted : Sigmoid::fitted($machine->decisions, $signs);
    }

    /**
     * What is decided about each sample by what was learnt without it.
     *
     * @param  list<float>  $signs
     * @return list<float>
     */
    private static function unseen(KernelRows $kernel, array $signs, float $cost, string $seed): array
    {
        $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', "probabilities $seed", true)));
        $order = $random->shuffleArray(array_keys($signs));
        $unseen = [];
        for ($fold = 0; $fold < self::FOLDS; $fold++) {
            $out = array_filter($order, fn (int $place): bool => $place % self::FOLDS === $fold, ARRAY_FILTER_USE_KEY);
            $left = array_unique(array_diff_key($signs, array_flip($out)));
            $decisions = count($left) > 1 ? SupportVectors::between($kernel, $signs, $cost, array_fill_keys($out, true))->decisions : [];
            foreach ($out as $sample) {
                // where one class is left, it is decided for
                $unseen[$sample] = $decisions[$sample] ?? array_sum($left);
            }
        }
        ksort($unseen);

        return array_values($unseen);
    }

    /**
     * How many of those held back are given their class.
     *
     * @param  list<list<int>>  $byClass
     * @param  list<int>  $held
     */
    private static function right(KernelRows $kernel, array $byClass, float $cost, array $held): int
    {
        $answers = [];
        foreach ($byClass as $class => $cases) {
            $answers += array_fill_keys($cases, $class);
        }
        $isHeld = array_fill_keys($held, true);
        $decisions = [];
        foreach (self::pairs(count($byClass)) as [$a, $b]) {
            // all others are left out: what is decided about them comes with it
            $out = array_fill(0, $kernel->count, true);
            $signs = array_fill(0, $kernel->count, 1.0);
            foreach ([[$a, 1.0], [$b, -1.0]] as [$class, $sign]) {
                foreach ($byClass[$class] as $case) {
                    $signs[$case] = $sign;
                    if (! isset($isHeld[$case])) {
                        unset($out[$case]);
                    }
                }
            }
            $all = SupportVectors::between($kernel, $signs, $cost, $out)->decisions;
            $decisions[] = array_map(fn (int $case): float => $all[$case], $held);
        }
        $right = 0;
        foreach (self::voted($decisions, count($held), count($byClass)) as $place => $class) {
            $right += $class === $answers[$held[$place]] ? 1 : 0;
        }

        return $right;
    }
}
