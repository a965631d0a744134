<?php

namespace Chorometra\Core\Stats;

/** How well a measure tells two groups apart. */
final class Roc
{
    /**
     * The area under the curve of the receiver operating characteristic: how often a value of the first group lies above one of the second, a
     * tie for one half (Mann & Whitney 1947, Annals of Mathematical Statistics 18:50–60). 0.5 tells nothing apart, 1 and 0 all.
     *
     * @param  list<float>  $one  NaN is left out
     * @param  list<float>  $other
     */
    public static function area(array $one, array $other): ?float
    {
        [$one, $other] = [self::valid($one), self::valid($other)];
        if ($one === [] || $other === []) {
            return null;
        }
        $wins = 0.0;
        foreach (self::steps($one, $other) as [, $above, $alike, $others]) {
            $wins += $others * ($above + 0.5 * $alike);
        }

        return $wins / (count($one) * count($other));
    }

    /**
     * The limit that tells them apart best: halfway between two values, where most of both lie on their own side (Youden 1950, Cancer 3:32–35).
     *
     * @param  list<float>  $one
     * @param  list<float>  $other
     * @return float|null null where all are alike, or a group is empty
     */
    public static function limit(array $one, array $other): ?float
    {
        [$one, $other] = [self::valid($one), self::valid($other)];
        if ($one === [] || $other === []) {
            return null;
        }
        $steps = self::steps($one, $other);
        $below = 0;
        $best = null;
        $most = 0.0;
        foreach ($steps as $i => [$value, $above, $alike, $others]) {
            if ($i > 0) {
                // what lies from this value on, against what lies below
                $apart = abs(($above + $alike) / count($one) + $below / count($other) - 1.0);
                if ($apart > $most + 1e-12) {
                    $most = $apart;
                    $best = 0.5 * ($steps[$i - 1][0] + $value);
                }
            }
            $below += $others;
        }

        return $best;
    }

    /**
     * Values that occur, rising: of the first group how many lie above and how many are alike, and of the other how many are.
     *
     * @param  list<float>  $one
     * @param  list<float>  $other
     * @return list<array{float, int, int, int}>
     */
    private static function steps(array $one, array $other): array
    {
        $cases = [...array_map(fn (float $value): array => [$value, 0], $one), ...array_map(fn (float $value): array => [$value, 1], $other)];
        usort($cases, fn (array $a, array $b): int => $a[0] <=> $b[0]);
        $above = count($one);
        $steps = [];
        for ($i = 0, $count = count($cases); $i < $count;) {
            $value = $cases[$i][0];
            $alike = [0, 0];
            for (; $i < $count && $cases[$i][0] === $value; $i++) {
                $alike[$cases[$i][1]]++;
            }
            $above -= $alike[0];
            $steps[] = [$value, $above, $alike[0], $alike[1]];
        }

        return $steps;
    }

    /**
     * @param  list<float>  $values
     * @return list<float>
     */
    private static function valid(array $values): array
    {
        return array_values(array_filter($values, fn (float $value): bool => ! is_nan($value)));
    }
}
