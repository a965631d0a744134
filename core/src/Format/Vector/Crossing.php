<?php

namespace Chorometra\Core\Format\Vector;

/**
 * Whether the sides of a ring cross each other, in n log n steps whatever its shape: a line sweeps over them from left to right, and only
 * sides that come to lie next to each other on it are compared.
 *
 * Source: Shamos & Hoey 1976, Geometric intersection problems, 17th Annual Symposium on Foundations of Computer Science, 208–215.
 */
final class Crossing
{
    private const BUCKET = 256;

    /** Pairs looked at for each side before the sweep takes over: most rings have few that lie over one another. */
    private const FEW = 40;

    /** @var list<float> left end, right end of each side */
    private array $ax = [];

    /** @var list<float> */
    private array $ay = [];

    /** @var list<float> */
    private array $bx = [];

    /** @var list<float> */
    private array $by = [];

    /** @var list<list<int>> sides under the line from bottom to top, in pieces of bounded length */
    private array $open = [[]];

    /**
     * Where a closed ring crosses itself; sides that only touch do not count.
     *
     * @param  list<array{float, float}>  $ring
     * @return array{float, float}|null
     */
    public static function of(array $ring): ?array
    {
        return (new self)->sweep($ring);
    }

    /**
     * @param  list<array{float, float}>  $ring
     * @return array{float, float}|null
     */
    private function sweep(array $ring): ?array
    {
        self::sides($ring, count($ring), $this->ax, $this->ay, $this->bx, $this->by);
        array_multisort($this->ax, $this->ay, $this->bx, $this->by);
        $pair = self::pairs($this->ax, $this->ay, $this->bx, $this->by, count($this->ax), self::FEW * count($this->ax));
        if ($pair !== null) {
            return $pair === [] ? null : $this->meet(...$pair);
        }
        // from left to right, upwards where they stand upright; what ends goes before what begins at the same place
        $sides = array_keys($this->ax);
        $x = [...$this->bx, ...$this->ax];
        $y = [...$this->by, ...$this->ay];
        $begins = [...array_fill(0, count($sides), 0), ...array_fill(0, count($sides), 1)];
        $of = [...$sides, ...$sides];
        array_multisort($x, $y, $begins, $of);
        foreach ($of as $event => $side) {
            $met = $begins[$event] === 1 ? $this->begin($side) : $this->end($side);
            if ($met !== null) {
                return $met;
            }
        }

        return null;
    }

    /**
     * Sides with their left end first; those that stand upright with the lower one.
     *
     * $n sides.
     *
     * @param  list<array{float, float}>  $ring
     * @param  list<float>  $ax
     * @param  list<float>  $ay
     * @param  list<float>  $bx
     * @param  list<float>  $by
     */
    private static function sides(array $ring, int $n, array &$ax, array &$ay, array &$bx, array &$by): void
    {
        for ($i = 1; $i < $n; $i++) {
            $x0 = $ring[$i - 1][0];
            $y0 = $ring[$i - 1][1];
            $x1 = $ring[$i][0];
            $y1 = $ring[$i][1];
            if ($x0 < $x1 || ($x0 === $x1 && $y0 < $y1)) {
                $ax[] = $x0;
                $ay[] = $y0;
                $bx[] = $x1;
                $by[] = $y1;
            } elseif ($x0 !== $x1 || $y0 !== $y1) {
                $ax[] = $x1;
                $ay[] = $y1;
                $bx[] = $x0;
                $by[] = $y0;
            }
        }
    }

    /**
     * Every side with those that begin before it ends; sorted by their left ends.
     *
     * $n sides.
     *
     * @param  list<float>  $ax
     * @param  list<float>  $ay
     * @param  list<float>  $bx
     * @param  list<float>  $by
     * @return array{int, int}|array{}|null two sides that cross; null where more than $most pairs would have to be looked at
     */
    private static function pairs(array $ax, array $ay, array $bx, array $by, int $n, int $most): ?array
    {
        for ($i = 0; $i < $n; $i++) {
            $x0 = $ax[$i];
            $y0 = $ay[$i];
            $x1 = $bx[$i];
            $y1 = $by[$i];
            $dx = $x1 - $x0;
            $dy = $y1 - $y0;
            if ($most < 0) {
                return null;
            }
            for ($j = $i + 1; $j < $n; $j++) {
                $most--;
                $x2 = $ax[$j];
                if ($x2 >= $x1) {
                    break;
                }
                $y2 = $ay[$j];
                $y3 = $by[$j];
                $p = $dx * ($y2 - $y0) - $dy * ($x2 - $x0);
                $q = $dx * ($y3 - $y0) - $dy * ($bx[$j] - $x0);
                if (($p > 0.0 && $q < 0.0) || ($p < 0.0 && $q > 0.0)) {
                    $ex = $bx[$j] - $x2;
                    $ey = $y3 - $y2;
                    $r = $ex * ($y0 - $y2) - $ey * ($x0 - $x2);
                    $s = $ex * ($y1 - $y2) - $ey * ($x1 - $x2);
                    if (($r > 0.0 && $s < 0.0) || ($r < 0.0 && $s > 0.0)) {
                        return [$i, $j];
                    }
                }
            }
        }

        return [];
    }

    /** @return array{float, float}|null */
    private function begin(int $side): ?array
    {
        [$piece, $place] = $this->place($side);
        [$below, $above] = [$this->before($piece, $place), $this->open[$piece][$place] ?? $this->open[$piece + 1][0] ?? null];
        array_splice($this->open[$piece], $place, 0, [$side]);
        if (count($this->open[$piece]) > 2 * self::BUCKET) {
            array_splice($this->open, $piece, 1, array_chunk($this->open[$piece], self::BUCKET));
        }

        return ($below === null ? null : $this->meet($side, $below)) ?? ($above === null ? null : $this->meet($side, $above));
    }

    /** @return array{float, float}|null */
    private function end(int $side): ?array
    {
        [$piece] = $this->place($side);
        // what touches may have come to lie a little off
        $found = $this->find($side, $piece);
        if ($found === null) {
            return null;
        }
        [$piece, $place] = $found;
        [$below, $above] = [$this->before($piece, $place), $this->open[$piece][$place + 1] ?? $this->open[$piece + 1][0] ?? null];
        array_splice($this->open[$piece], $place, 1);
        if ($this->open[$piece] === [] && count($this->open) > 1) {
            array_splice($this->open, $piece, 1);
        }

        return $below === null || $above === null ? null : $this->meet($below, $above);
    }

    /**
     * Where an open side is, looked for from a piece on to both sides.
     *
     * @return array{int, int}|null
     */
    private function find(int $side, int $near): ?array
    {
        for ($away = 0, $count = count($this->open); $away < $count; $away++) {
            foreach ($away === 0 ? [$near] : [$near - $away, $near + $away] as $piece) {
                $place = array_search($side, $this->open[$piece] ?? [], true);
                if ($place !== false) {
                    return [$piece, $place];
                }
            }
        }

        return null;
    }

    private function before(int $piece, int $place): ?int
    {
        if ($place > 0) {
            return $this->open[$piece][$place - 1];
        }

        return $piece > 0 ? $this->open[$piece - 1][count($this->open[$piece - 1]) - 1] : null;
    }

    /** @return array{int, int} the piece and the place in it before the first side that does not lie below */
    private function place(int $side): array
    {
        [$low, $high] = [0, count($this->open) - 1];
        while ($low < $high) {
            $middle = ($low + $high) >> 1;
            $last = $this->open[$middle][count($this->open[$middle]) - 1];
            if ($this->isBelow($last, $side)) {
                $low = $middle + 1;
            } else {
                $high = $middle;
            }
        }
        $piece = $low;
        [$low, $high] = [0, count($this->open[$piece])];
        while ($low < $high) {
            $middle = ($low + $high) >> 1;
            if ($this->isBelow($this->open[$piece][$middle], $side)) {
                $low = $middle + 1;
            } else {
                $high = $middle;
            }
        }

        return [$piece, $low];
    }

    /** Whether an open side lies below another where that one begins; where they touch there, by where it goes. */
    private function isBelow(int $open, int $side): bool
    {
        if ($open === $side) {
            return false;
        }
        $turn = $this->turn($open, $this->ax[$side], $this->ay[$side]);

        return $turn !== 0.0 ? $turn > 0.0 : $this->turn($open, $this->bx[$side], $this->by[$side]) > 0.0;
    }

    /** Above 0 where a place lies above a side (to its left). */
    private function turn(int $side, float $x, float $y): float
    {
        return ($this->bx[$side] - $this->ax[$side]) * ($y - $this->ay[$side]) - ($this->by[$side] - $this->ay[$side]) * ($x - $this->ax[$side]);
    }

    /**
     * Where two sides cross within both; ends that touch do not count.
     *
     * @return array{float, float}|null
     */
    private function meet(int $a, int $b): ?array
    {
        $p = $this->turn($b, $this->ax[$a], $this->ay[$a]);
        $q = $this->turn($b, $this->bx[$a], $this->by[$a]);
        if ($p === 0.0 || $q === 0.0 || ($p > 0.0) === ($q > 0.0)) {
            return null;
        }
        $r = $this->turn($a, $this->ax[$b], $this->ay[$b]);
        $s = $this->turn($a, $this->bx[$b], $this->by[$b]);
        if ($r === 0.0 || $s === 0.0 || ($r > 0.0) === ($s > 0.0)) {
            return null;
        }
        $t = $p / ($p - $q);

        return [$this->ax[$a] + $t * ($this->bx[$a] - $this->ax[$a]), $this->ay[$a] + $t * ($this->by[$a] - $this->ay[$a])];
    }
}
