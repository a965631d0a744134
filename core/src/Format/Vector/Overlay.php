<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/**
 * Two sets of polygons laid over each other: their sides are cut where they meet, each piece is told what lies to its left and right, and
 * those at which what is wanted begins or ends are strung into rings.
 *
 * Places are rounded to a lattice of whole numbers, on which every test is exact, and cutting goes on until no two pieces cross. Polygons of one
 * set may overlap: together they are their union.
 *
 * Source: Bentley & Ottmann 1979, IEEE Transactions on Computers C-28:643–647, for the sweep; Hobby 1999, Computational Geometry 13:199–214, for
 * rounding (from memory).
 */
final class Overlay
{
    /** Lattice steps across all that is laid over each other: products of differences must fit 64 bits. */
    private const STEPS = 1 << 30;

    /** Finest lattice, in the units of the places: a tenth of a millimetre. */
    private const FINEST = 1e-4;

    private const MOST_SIDES = 400_000;

    private const ROUNDS = 12;

    /** @var list<array{int, int, int, int, bool, bool, bool, bool}> pieces from their lower end to their upper: places, and whether it lies in the first
     *  and in the second to the left, and to the right */
    private array $pieces = [];

    /** @var array<int, array{int, int}> what winds of either set to the right of each piece that the sweep has open */
    private array $right = [];

    private readonly float $step;

    private readonly float $x0;

    private readonly float $y0;

    /**
     * @param  list<list<list<array{float, float}>>>  $first  polygons of closed rings, the outer one first
     * @param  list<list<list<array{float, float}>>>  $second
     *
     * @throws Problem where they have more sides than can be held
     */
    public function __construct(array $first, array $second)
    {
        [$left, $right, $bottom, $top] = [INF, -INF, INF, -INF];
        foreach ([...$first, ...$second] as $rings) {
            foreach ($rings as $ring) {
                foreach ($ring as [$x, $y]) {
                    [$left, $right, $bottom, $top] = [min($left, $x), max($right, $x), min($bottom, $y), max($top, $y)];
                }
            }
        }
        $this->step = max(self::FINEST, max($right - $left, $top - $bottom, 0.0) / self::STEPS);
        [$this->x0, $this->y0] = [is_finite($left) ? $left : 0.0, is_finite($bottom) ? $bottom : 0.0];
        $sides = [];
        $this->add($sides, $first, 0);
        $this->add($sides, $second, 1);
        for ($round = 0; $round < self::ROUNDS; $round++) {
            $cuts = self::cuts($sides);
            if ($cuts === []) {
                break;
            }
            $sides = self::cut($sides, $cuts);
        }
        $this->sweep($sides);
    }

    /**
     * The polygons of what is wanted.
     *
     * @param  \Closure(bool, bool): bool  $wanted  of what lies in the first set or not, and in the second
     * @return list<list<list<array{float, float}>>> polygons of closed rings, the outer one first and counter-clockwise
     */
    public function polygons(\Closure $wanted): array
    {
        return self::nested(array_map($this->placed(...), $this->rings($wanted)));
    }

    /** @param  \Closure(bool, bool): bool  $wanted  in square units of the places */
    public function area(\Closure $wanted): float
    {
        // exact on the lattice: sums of doubled areas are whole numbers, those of pieces to the origin may be large
        $sum = 0.0;
        foreach ($this->pieces as [$ax, $ay, $bx, $by, $inLeft, $alsoLeft, $inRight, $alsoRight]) {
            $way = ($wanted($inLeft, $alsoLeft) ? 1 : 0) - ($wanted($inRight, $alsoRight) ? 1 : 0);
            $sum += $way * ((float) $ax * $by - (float) $bx * $ay);
        }

        return 0.5 * $sum * $this->step ** 2;
    }

    /**
     * Where what is wanted begins or ends.
     *
     * @param  \Closure(bool, bool): bool  $wanted
     * @return list<array{float, float, float, float}> both ends of each piece
     */
    public function borders(\Closure $wanted): array
    {
        $borders = [];
        foreach ($this->pieces as [$ax, $ay, $bx, $by, $inLeft, $alsoLeft, $inRight, $alsoRight]) {
            if ($wanted($inLeft, $alsoLeft) !== $wanted($inRight, $alsoRight)) {
                $borders[] = [...$this->place($ax, $ay), ...$this->place($bx, $by)];
            }
        }

        return $borders;
    }

    /**
     * @param  array<string, array{int, int, int, int, int, int}>  $sides  by their ends: lower end, upper end, what winds of either set
     * @param  list<list<list<array{float, float}>>>  $polygons
     */
    private function add(array &$sides, array $polygons, int $set): void
    {
        foreach ($polygons as $rings) {
            foreach ($rings as $number => $ring) {
                // the outer ring winds one way, holes the other, however they were written
                $isTurned = (PolygonRings::area($ring) < 0.0) === ($number === 0);
                $places = array_map(fn (array $place): array => [
                    (int) round(($place[0] - $this->x0) / $this->step),
                    (int) round(($place[1] - $this->y0) / $this->step),
                ], $isTurned ? array_reverse($ring) : $ring);
                for ($i = 1, $n = count($places); $i < $n; $i++) {
                    self::put($sides, $places[$i - 1], $places[$i], $set === 0 ? 1 : 0, $set === 1 ? 1 : 0);
                }
                if (count($sides) > self::MOST_SIDES) {
                    throw Problem::input('The outlines have more than '.number_format(self::MOST_SIDES).' sides: simplify them, or take fewer at a time.');
                }
            }
        }
    }

    /**
     * A side from its lower end (the left one of a level side) to its upper; what runs the same way is put together.
     *
     * @param  array<string, array{int, int, int, int, int, int}>  $sides
     * @param  array{int, int}  $from
     * @param  array{int, int}  $to
     */
    private static function put(array &$sides, array $from, array $to, int $first, int $second): void
    {
        if ($from === $to) {
            return;
        }
        if ([$from[1], $from[0]] > [$to[1], $to[0]]) {
            [$from, $to, $first, $second] = [$to, $from, -$first, -$second];
        }
        $key = "$from[0] $from[1] $to[0] $to[1]";
        $side = $sides[$key] ?? [$from[0], $from[1], $to[0], $to[1], 0, 0];
        $side[4] += $first;
        $side[5] += $second;
        if ($side[4] === 0 && $side[5] === 0) {
            unset($sides[$key]);
        } else {
            $sides[$key] = $side;
        }
    }

    /**
     * Where sides meet otherwise than at ends of both.
     *
     * @param  array<string, array{int, int, int, int, int, int}>  $sides
     * @return array<string, array<string, array{int, int}>> places by side
     */
    private static function cuts(array $sides): array
    {
        // sides by the cells that their boxes touch; about one side to a cell
        $all = array_values($sides);
        $keys = array_keys($sides);
        $length = 0.0;
        foreach ($all as [$ax, $ay, $bx, $by]) {
            $length += abs($bx - $ax) + abs($by - $ay);
        }
        $cell = max(1, (int) (2.0 * $length / max(1, count($all))));
        $cells = $cuts = [];
        foreach ($all as $k => [$ax, $ay, $bx, $by]) {
            [$left, $right] = [intdiv(min($ax, $bx), $cell), intdiv(max($ax, $bx), $cell)];
            [$bottom, $top] = [intdiv($ay, $cell), intdiv($by, $cell)];
            // of a long side only the cells along it
            $isLong = ($right - $left) > 1 && ($top - $bottom) > 1;
            for ($row = $bottom; $row <= $top; $row++) {
                [$from, $to] = [$left, $right];
                if ($isLong) {
                    $at = fn (int $y): float => $ax + ($bx - $ax) * (max($ay, min($by, $y)) - $ay) / ($by - $ay);
                    $ends = [$at($row * $cell), $at(($row + 1) * $cell)];
                    [$from, $to] = [max($left, (int) floor((min($ends) - 1) / $cell)), min($right, (int) floor((max($ends) + 1) / $cell))];
                }
                for ($column = $from; $column <= $to; $column++) {
                    foreach ($cells["$column $row"] ?? [] as $other) {
                        self::meet($all[$k], $all[$other], $keys[$k], $keys[$other], $cuts);
                    }
                    $cells["$column $row"][] = $k;
                }
            }
        }

        return $cuts;
    }

    /**
     * @param  array{int, int, int, int, int, int}  $one
     * @param  array{int, int, int, int, int, int}  $other
     * @param  array<string, array<string, array{int, int}>>  $cuts
     */
    private static function meet(array $one, array $other, string $key, string $otherKey, array &$cuts): void
    {
        [$ax, $ay, $bx, $by] = $one;
        [$cx, $cy, $dx, $dy] = $other;
        if ($ay > $dy || $cy > $by || max($ax, $bx) < min($cx, $dx) || max($cx, $dx) < min($ax, $bx)) {
            return;
        }
        $c = ($bx - $ax) * ($cy - $ay) - ($by - $ay) * ($cx - $ax);
        $d = ($bx - $ax) * ($dy - $ay) - ($by - $ay) * ($dx - $ax);
        $a = ($dx - $cx) * ($ay - $cy) - ($dy - $cy) * ($ax - $cx);
        $b = ($dx - $cx) * ($by - $cy) - ($dy - $cy) * ($bx - $cx);
        // an end of one that lies on the other
        foreach ([[$c, $cx, $cy], [$d, $dx, $dy]] as [$side, $x, $y]) {
            if ($side === 0) {
                self::note($cuts, $key, $one, $x, $y);
            }
        }
        foreach ([[$a, $ax, $ay], [$b, $bx, $by]] as [$side, $x, $y]) {
            if ($side === 0) {
                self::note($cuts, $otherKey, $other, $x, $y);
            }
        }
        if (($c < 0) !== ($d < 0) && ($a < 0) !== ($b < 0) && $a !== 0 && $b !== 0 && $c !== 0 && $d !== 0) {
            $t = $a / ($a - $b);
            [$x, $y] = [(int) round($ax + $t * ($bx - $ax)), (int) round($ay + $t * ($by - $ay))];
            self::note($cuts, $key, $one, $x, $y);
            self::note($cuts, $otherKey, $other, $x, $y);
        }
    }

    /**
     * @param  array<string, array<string, array{int, int}>>  $cuts
     * @param  array{int, int, int, int, int, int}  $side
     */
    private static function note(array &$cuts, string $key, array $side, int $x, int $y): void
    {
        [$ax, $ay, $bx, $by] = $side;
        $isEnd = ($x === $ax && $y === $ay) || ($x === $bx && $y === $by);
        if (! $isEnd && $x >= min($ax, $bx) && $x <= max($ax, $bx) && $y >= $ay && $y <= $by) {
            $cuts[$key]["$x $y"] = [$x, $y];
        }
    }

    /**
     * @param  array<string, array{int, int, int, int, int, int}>  $sides
     * @param  array<string, array<string, array{int, int}>>  $cuts
     * @return array<string, array{int, int, int, int, int, int}>
     */
    private static function cut(array $sides, array $cuts): array
    {
        foreach ($cuts as $key => $places) {
            [$ax, $ay, $bx, $by, $first, $second] = $sides[$key];
            unset($sides[$key]);
            usort($places, fn (array $one, array $other): int => ($one[0] - $ax) * ($bx - $ax) + ($one[1] - $ay) * ($by - $ay)
                <=> ($other[0] - $ax) * ($bx - $ax) + ($other[1] - $ay) * ($by - $ay));
            $from = [$ax, $ay];
            foreach ([...$places, [$bx, $by]] as $to) {
                self::put($sides, $from, $to, $first, $second);
                $from = $to;
            }
            if (count($sides) > 2 * self::MOST_SIDES) {
                throw Problem::input('The outlines cross each other too often: simplify them, or take fewer at a time.');
            }
        }

        return $sides;
    }

    /**
     * What lies to the left and right of each piece, from below upwards: a piece that begins stands right of another, and what is known there holds here.
     *
     * @param  array<string, array{int, int, int, int, int, int}>  $sides
     */
    private function sweep(array $sides): void
    {
        $all = array_values($sides);
        $begins = $ends = [];
        foreach ($all as $k => [$ax, $ay, $bx, $by]) {
            $begins["$ax $ay"][] = $k;
            $ends["$bx $by"][] = $k;
        }
        $places = array_map(fn (string $key): array => array_map(intval(...), explode(' ', $key)), array_keys($begins + $ends));
        usort($places, fn (array $one, array $other): int => [$one[1], $one[0]] <=> [$other[1], $other[0]]);
        /** @var list<int> $open */
        $open = [];
        foreach ($places as [$x, $y]) {
            $leaving = $ends["$x $y"] ?? [];
            $arriving = $begins["$x $y"] ?? [];
            // pieces that end here stand side by side; else the place is looked for
            $at = self::standing($open, $all, $x, $y);
            if ($leaving !== []) {
                array_splice($open, $at, count($leaving));
                foreach ($leaving as $k) {
                    unset($this->right[$k]);
                }
            }
            if ($arriving === []) {
                continue;
            }
            // from left to right as they go up; a level one lies lowest, rightmost
            usort($arriving, function (int $one, int $other) use ($all): int {
                [$ax, $ay, $bx, $by] = $all[$one];
                [, , $cx, $cy] = $all[$other];

                return ($bx - $ax) * ($cy - $ay) <=> ($by - $ay) * ($cx - $ax);
            });
            array_splice($open, $at, 0, $arriving);
            $winds = $this->right[$open[$at - 1] ?? -1] ?? [0, 0];
            foreach ($arriving as $k) {
                [$ax, $ay, $bx, $by, $first, $second] = $all[$k];
                // going up, an outer ring has its inside on the left
                $next = [$winds[0] - $first, $winds[1] - $second];
                $this->pieces[] = [$ax, $ay, $bx, $by, $winds[0] > 0, $winds[1] > 0, $next[0] > 0, $next[1] > 0];
                $this->right[$k] = $winds = $next;
            }
        }
    }

    /**
     * How many open pieces stand left of a place, those that end there not among them.
     *
     * @param  list<int>  $open
     * @param  list<array{int, int, int, int, int, int}>  $all
     */
    private static function standing(array $open, array $all, int $x, int $y): int
    {
        [$low, $high] = [0, count($open)];
        while ($low < $high) {
            $middle = ($low + $high) >> 1;
            [$ax, $ay, $bx, $by] = $all[$open[$middle]];
            // above zero: the place lies to the left of the piece
            if (($bx - $ax) * ($y - $ay) - ($by - $ay) * ($x - $ax) < 0) {
                $low = $middle + 1;
            } else {
                $high = $middle;
            }
        }

        return $low;
    }

    /**
     * @param  \Closure(bool, bool): bool  $wanted
     * @return list<list<array{int, int}>> closed rings, what is wanted on their left
     */
    private function rings(\Closure $wanted): array
    {
        $from = [];
        foreach ($this->pieces as [$ax, $ay, $bx, $by, $inLeft, $alsoLeft, $inRight, $alsoRight]) {
            [$left, $right] = [$wanted($inLeft, $alsoLeft), $wanted($inRight, $alsoRight)];
            if ($left && ! $right) {
                $from["$ax $ay"][] = [$ax, $ay, $bx, $by];
            } elseif ($right && ! $left) {
                $from["$bx $by"][] = [$bx, $by, $ax, $ay];
            }
        }
        $rings = [];
        foreach (array_keys($from) as $start) {
            while (($from[$start] ?? []) !== []) {
                [$ax, $ay, $bx, $by] = array_pop($from[$start]);
                $ring = [[$ax, $ay], [$bx, $by]];
                while ([$bx, $by] !== $ring[0]) {
                    $next = $from["$bx $by"] ?? [];
                    if ($next === []) {
                        throw new \LogicException('A ring does not close.');
                    }
                    $turn = count($next) === 1 ? 0 : self::leftmost($next, $ax - $bx, $ay - $by);
                    [$ax, $ay, $bx, $by] = $next[$turn];
                    array_splice($from["$ax $ay"], $turn, 1);
                    $ring[] = [$bx, $by];
                }
                $rings[] = self::straight($ring);
            }
        }

        return array_values(array_filter($rings, fn (array $ring): bool => count($ring) > 3));
    }

    /**
     * Of several ways on, the first one clockwise from where one came from: so rings that touch at a corner stay apart.
     *
     * @param  list<array{int, int, int, int}>  $ways
     */
    private static function leftmost(array $ways, int $backX, int $backY): int
    {
        $angles = array_map(function (array $way) use ($backX, $backY): float {
            $angle = atan2($backY, $backX) - atan2($way[3] - $way[1], $way[2] - $way[0]);

            return $angle <= 0.0 ? $angle + 2 * M_PI : $angle;
        }, $ways);

        return (int) array_search(min($angles), $angles, true);
    }

    /**
     * A ring without places at which it does not turn.
     *
     * @param  list<array{int, int}>  $ring
     * @return list<array{int, int}>
     */
    private static function straight(array $ring): array
    {
        $n = count($ring) - 1;
        $kept = [];
        for ($i = 0; $i < $n; $i++) {
            [$a, $b, $c] = [$ring[($i + $n - 1) % $n], $ring[$i], $ring[$i + 1]];
            if (($b[0] - $a[0]) * ($c[1] - $b[1]) !== ($b[1] - $a[1]) * ($c[0] - $b[0])) {
                $kept[] = $b;
            }
        }

        return $kept === [] ? [] : [...$kept, $kept[0]];
    }

    /** @return array{float, float} */
    private function place(int $x, int $y): array
    {
        return [$this->x0 + $this->step * $x, $this->y0 + $this->step * $y];
    }

    /**
     * @param  list<array{int, int}>  $ring
     * @return list<array{float, float}>
     */
    private function placed(array $ring): array
    {
        return array_map(fn (array $place): array => $this->place(...$place), $ring);
    }

    /**
     * Rings as polygons: each hole goes to the smallest ring around it.
     *
     * @param  list<list<array{float, float}>>  $rings
     * @return list<list<list<array{float, float}>>>
     */
    private static function nested(array $rings): array
    {
        $polygons = $areas = $boxes = $holes = [];
        foreach ($rings as $ring) {
            $area = PolygonRings::area($ring);
            if ($area > 0.0) {
                $polygons[] = [$ring];
                $areas[] = $area;
                $boxes[] = [min(array_column($ring, 0)), max(array_column($ring, 0)), min(array_column($ring, 1)), max(array_column($ring, 1))];
            } elseif ($area < 0.0) {
                $holes[] = $ring;
            }
        }
        asort($areas);
        foreach ($holes as $hole) {
            // a place inside the hole beside its first side, since corners may touch the ring around
            [$x, $y] = self::beside($hole);
            foreach ($areas as $k => $area) {
                [$left, $right, $bottom, $top] = $boxes[$k];
                if ($x >= $left && $x <= $right && $y >= $bottom && $y <= $top && PolygonRings::holds($polygons[$k][0], $x, $y)) {
                    $polygons[$k][] = $hole;
                    break;
                }
            }
        }

        return $polygons;
    }

    /**
     * A place close to the middle of the longest side, to the left of it, where what the hole was cut from lies.
     *
     * @param  list<array{float, float}>  $ring
     * @return array{float, float}
     */
    private static function beside(array $ring): array
    {
        $longest = 1;
        $length = fn (int $i): float => hypot($ring[$i][0] - $ring[$i - 1][0], $ring[$i][1] - $ring[$i - 1][1]);
        for ($i = 1, $n = count($ring); $i < $n; $i++) {
            $longest = $length($i) > $length($longest) ? $i : $longest;
        }
        [[$ax, $ay], [$bx, $by]] = [$ring[$longest - 1], $ring[$longest]];
        $off = 1e-6;

        return [0.5 * ($ax + $bx) - $off * ($by - $ay), 0.5 * ($ay + $by) + $off * ($bx - $ax)];
    }
}
