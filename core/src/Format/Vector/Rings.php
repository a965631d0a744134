<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/** What can be said of a closed ring of places. */
final class Rings
{
    /** @param  list<array{float, float}>  $ring */
    public static function area(array $ring): float
    {
        $sum = 0.0;
        for ($i = 1, $n = count($ring); $i < $n; $i++) {
            $sum += ($ring[$i - 1][0] - $ring[0][0]) * ($ring[$i][1] - $ring[0][1]) - ($ring[$i][0] - $ring[0][0]) * ($ring[$i - 1][1] - $ring[0][1]);
        }

        return $sum / 2;
    }

    /** @param  list<array{float, float}>  $ring */
    public static function holds(array $ring, float $x, float $y): bool
    {
        $inside = false;
        for ($i = 1, $n = count($ring); $i < $n; $i++) {
            [$ax, $ay] = $ring[$i - 1];
            [$bx, $by] = $ring[$i];
            if (($ay > $y) !== ($by > $y) && $x < $ax + ($bx - $ax) * ($y - $ay) / ($by - $ay)) {
                $inside = ! $inside;
            }
        }

        return $inside;
    }

    /**
     * Refuses a ring that crosses itself, or that holds what is no number.
     *
     * @param  list<array{float, float}>  $ring  closed
     */
    public static function check(array $ring, string $name, string $about): void
    {
        foreach ($ring as $place) {
            if (! is_finite($place[0]) || ! is_finite($place[1])) {
                throw Problem::input("$name has places that can't be shown in the CRS of the image.", $about);
            }
        }
        $crossing = self::crossing($ring);
        if ($crossing !== null) {
            throw Problem::input(sprintf('A ring in %s crosses itself near %.2f, %.2f: mend it there first.', $name, ...$crossing), $about);
        }
    }

    /**
     * Where a closed ring crosses itself: sides in order of their left ends, each against those that still reach under it.
     *
     * @param  list<array{float, float}>  $ring
     * @return array{float, float}|null
     */
    public static function crossing(array $ring): ?array
    {
        $sides = [];
        for ($i = 1, $n = count($ring); $i < $n; $i++) {
            if ($ring[$i] !== $ring[$i - 1]) {
                $sides[] = [...$ring[$i - 1], ...$ring[$i]];
            }
        }
        usort($sides, fn (array $a, array $b): int => min($a[0], $a[2]) <=> min($b[0], $b[2]));
        $open = [];
        foreach ($sides as $side) {
            $left = min($side[0], $side[2]);
            foreach ($open as $key => $other) {
                if (max($other[0], $other[2]) < $left) {
                    unset($open[$key]);
                } elseif (max($other[1], $other[3]) >= min($side[1], $side[3]) && min($other[1], $other[3]) <= max($side[1], $side[3])) {
                    $place = self::meet($side, $other);
                    if ($place !== null) {
                        return $place;
                    }
                }
            }
            $open[] = $side;
        }

        return null;
    }

    /**
     * Where two sides cross within both; ends that touch do not count.
     *
     * @param  array{float, float, float, float}  $a
     * @param  array{float, float, float, float}  $b
     * @return array{float, float}|null
     */
    private static function meet(array $a, array $b): ?array
    {
        $side = fn (array $s, float $x, float $y): float => ($s[2] - $s[0]) * ($y - $s[1]) - ($s[3] - $s[1]) * ($x - $s[0]);
        $p = $side($b, $a[0], $a[1]);
        $q = $side($b, $a[2], $a[3]);
        if ($p * $q >= 0 || $side($a, $b[0], $b[1]) * $side($a, $b[2], $b[3]) >= 0) {
            return null;
        }
        $t = $p / ($p - $q);

        return [$a[0] + $t * ($a[2] - $a[0]), $a[1] + $t * ($a[3] - $a[1])];
    }
}
