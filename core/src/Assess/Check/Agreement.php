<?php

namespace Chorometra\Core\Assess\Check;

/**
 * How far several people agree on the same points.
 *
 * Source: Cohen 1960, Educational and Psychological Measurement 20:37–46, for kappa between two people.
 */
final class Agreement
{
    /**
     * @param  list<array<string, string>>  $points  of each what people said it is, by person
     * @return list<array{one: string, other: string, points: int, agreed: float, kappa: float|null}> every two people with points in common
     */
    public static function of(array $points): array
    {
        $people = [];
        foreach ($points as $said) {
            $people += array_fill_keys(array_keys($said), true);
        }
        $people = array_map(strval(...), array_keys($people));
        $pairs = [];
        foreach ($people as $k => $one) {
            foreach (array_slice($people, $k + 1) as $other) {
                $both = array_values(array_filter($points, fn (array $said): bool => isset($said[$one], $said[$other])));
                if ($both === []) {
                    continue;
                }
                $classes = array_flip(array_values(array_unique([...array_column($both, $one), ...array_column($both, $other)])));
                $matrix = array_fill(0, count($classes), array_fill(0, count($classes), 0));
                foreach ($both as $said) {
                    $matrix[$classes[$said[$one]]][$classes[$said[$other]]]++;
                }
                $accuracy = new Accuracy($matrix);
                $pairs[] = [
                    'one' => $one,
                    'other' => $other,
                    'points' => count($both),
                    'agreed' => (float) $accuracy->overall(),
                    'kappa' => $accuracy->kappa()['kappa'] ?? null,
                ];
            }
        }

        return $pairs;
    }
}
