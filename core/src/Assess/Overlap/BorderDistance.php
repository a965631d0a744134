<?php

namespace Chorometra\Core\Assess\Overlap;

/** How far borders lie from others: from places evenly along the ones to the nearest place on the others. */
final class BorderDistance
{
    /** Places along the borders, about. */
    private const PLACES = 20_000;

    /** @var array<string, list<int>> sides by cell */
    private array $cells = [];

    private float $side;

    /** @param  list<array{float, float, float, float}>  $borders  both ends of each side, in metres */
    public function __construct(private readonly array $borders)
    {
        $this->side = max(1e-3, 2.0 * self::length($borders) / max(1, count($borders)));
        foreach ($borders as $k => [$ax, $ay, $bx, $by]) {
            // places no farther apart than a cell: each cell that a side crosses, or one beside it, knows of it
            $steps = (int) ceil(hypot($bx - $ax, $by - $ay) / $this->side);
            for ($step = 0; $step <= $steps; $step++) {
                $part = $steps === 0 ? 0.0 : $step / $steps;
                $key = $this->key($ax + $part * ($bx - $ax), $ay + $part * ($by - $ay));
                if (($this->cells[$key] ?? []) === [] || end($this->cells[$key]) !== $k) {
                    $this->cells[$key][] = $k;
                }
            }
        }
    }

    /**
     * The mean distance of other borders to these.
     *
     * @param  list<array{float, float, float, float}>  $others
     */
    public function of(array $others): ?float
    {
        $length = self::length($others);
        if ($this->borders === [] || $length <= 0.0) {
            return null;
        }
        $apart = $length / self::PLACES;
        $sum = 0.0;
        $left = 0.5 * $apart;
        $count = 0;
        foreach ($others as [$ax, $ay, $bx, $by]) {
            $long = hypot($bx - $ax, $by - $ay);
            for (; $left < $long; $left += $apart) {
                $sum += $this->nearest($ax + $left / $long * ($bx - $ax), $ay + $left / $long * ($by - $ay));
                $count++;
            }
            $left -= $long;
        }

        return $count > 0 ? $sum / $count : null;
    }

    private function nearest(float $x, float $y): float
    {
        $best = INF;
        [$column, $row] = [(int) floor($x / $this->side), (int) floor($y / $this->side)];
        $seen = 0;
        for ($ring = 0; $seen < count($this->cells); $ring++) {
            // a side's cells may be known by a neighbour only
            if ($best < ($ring - 2) * $this->side) {
                break;
            }
            for ($dy = -$ring; $dy <= $ring; $dy++) {
                for ($dx = -$ring; $dx <= $ring; $dx += abs($dy) === $ring ? 1 : max(1, 2 * $ring)) {
                    $sides = $this->cells[($column + $dx).' '.($row + $dy)] ?? null;
                    $seen += $sides === null ? 0 : 1;
                    foreach ($sides ?? [] as $k) {
                        $best = min($best, self::distance($x, $y, ...$this->borders[$k]));
                    }
                }
            }
        }

        return $best;
    }

    private function key(float $x, float $y): string
    {
        return ((int) floor($x / $this->side)).' '.((int) floor($y / $this->side));
    }

    /** @param  list<array{float, float, float, float}>  $borders */
    private static function length(array $borders): float
    {
        return array_sum(array_map(fn (array $side): float => hypot($side[2] - $side[0], $side[3] - $side[1]), $borders));
    }

    /** From a place to a side. */
    private static function distance(float $x, float $y, float $ax, float $ay, float $bx, float $by): float
    {
        [$dx, $dy] = [$bx - $ax, $by - $ay];
        $square = $dx * $dx + $dy * $dy;
        $part = $square > 0.0 ? max(0.0, min(1.0, (($x - $ax) * $dx + ($y - $ay) * $dy) / $square)) : 0.0;

        return hypot($x - $ax - $part * $dx, $y - $ay - $part * $dy);
    }
}
