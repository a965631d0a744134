<?php

namespace Chorometra\Core\Deliver\Polygons;

use Chorometra\Core\Geo\Window;

/**
 * Borders with fewer corners, each by itself: no corner that is left out lies further from the border than the tolerance, and between a
 * border and what stands for it lies no corner of any border. So none crosses another or itself, what two regions share stays shared, and
 * islands stay, on their side. The corners of the image stay.
 *
 * Source: Douglas & Peucker 1973, Cartographica 10:112–122, for which corners stay; de Berg, van Kreveld & Schirra 1998, Cartography and
 * Geographic Information Systems 25:243–257, for when a part may be straightened.
 */
final class Simplify
{
    private readonly int $wide;

    /** @var array{float, float, float} metres: squares of one column and of one row, and their product */
    private array $metric = [1.0, 1.0, 0.0];

    /** @var array{int, int, int, string} columns and rows before the part at hand, its width, its samples */
    private array $near = [0, 0, 0, ''];

    /**
     * @param  \Closure(Window): string  $samples  of a part of the map, of $bytes each
     * @param  \Closure(int, int): array{float, float, float}  $metricAt  around a column and row: squared metres of a column, of a row, and their product
     * @param  float  $tolerance  metres, above 0
     */
    public function __construct(
        private readonly int $width,
        private readonly int $height,
        private readonly int $bytes,
        private readonly \Closure $samples,
        private readonly \Closure $metricAt,
        private readonly float $tolerance,
    ) {
        $this->wide = $width + 1;
    }

    /**
     * @param  list<int>  $corners  of a border from node to node: where it turns
     * @return list<int>
     */
    public function arc(array $corners): array
    {
        $last = count($corners) - 1;
        if ($last < 2) {
            return $corners;
        }

        // one corner stays between the nodes: another border may run straight from the one to the other
        return $this->reduced($corners, [[0, $last, $corners[0] === $corners[$last] ? 2 : 1]]);
    }

    /**
     * @param  list<int>  $corners  of a border that comes back to itself; the first is not repeated
     * @return list<int> four at least
     */
    public function loop(array $corners): array
    {
        // always from the same corner, whichever way it runs
        $start = (int) array_search(min($corners), $corners, true);
        $ring = [...array_slice($corners, $start), ...array_slice($corners, 0, $start), $corners[$start]];

        return array_slice($this->reduced($ring, [[0, count($ring) - 1, 2]]), 0, -1);
    }

    /**
     * @param  list<int>  $corners
     * @param  list<array{int, int, int}>  $todo  parts, and how many levels deep they must be divided
     * @return list<int>
     */
    private function reduced(array $corners, array $todo): array
    {
        $this->metric = ($this->metricAt)($corners[0] % $this->wide, intdiv($corners[0], $this->wide));
        $this->look($corners);
        $keep = [$todo[0][0] => true, $todo[0][1] => true];
        $limit = $this->tolerance ** 2;
        while ($todo !== []) {
            [$from, $to, $levels] = array_pop($todo);
            if ($to - $from < 2) {
                continue;
            }
            [$at, $farthest] = $this->farthest($corners, $from, $to);
            if ($levels > 0 || $farthest > $limit || ! $this->isClear($corners, $from, $to)) {
                $keep[$at] = true;
                array_push($todo, [$from, $at, max(0, $levels - 1)], [$at, $to, max(0, $levels - 1)]);
            }
        }
        ksort($keep);
        $out = [];
        foreach ($keep as $i => $is) {
            $out[] = $corners[$i];
        }

        return $out;
    }

    /**
     * The corner farthest from a part's chord, and the square of its distance; corners of the image lie beyond all.
     *
     * @param  list<int>  $corners
     * @return array{int, float}
     */
    private function farthest(array $corners, int $from, int $to): array
    {
        [$ee, $gg, $ff] = $this->metric;
        $wide = $this->wide;
        [$x0, $y0] = [$corners[$from] % $wide, intdiv($corners[$from], $wide)];
        [$dx, $dy] = [$corners[$to] % $wide - $x0, intdiv($corners[$to], $wide) - $y0];
        $length = $ee * $dx * $dx + 2 * $ff * $dx * $dy + $gg * $dy * $dy;
        $farthest = -1.0;
        $at = $from + 1;
        for ($i = $from + 1; $i < $to; $i++) {
            $x = $corners[$i] % $wide;
            $y = intdiv($corners[$i], $wide);
            if (($x === 0 || $x === $this->width) && ($y === 0 || $y === $this->height)) {
                return [$i, INF];
            }
            $x -= $x0;
            $y -= $y0;
            $t = $length > 0 ? ($ee * $x * $dx + $ff * ($x * $dy + $y * $dx) + $gg * $y * $dy) / $length : 0.0;
            $t = $t < 0 ? 0.0 : ($t > 1 ? 1.0 : $t);
            $x -= $t * $dx;
            $y -= $t * $dy;
            $distance = $ee * $x * $x + 2 * $ff * $x * $y + $gg * $y * $y;
            if ($distance > $farthest) {
                $farthest = $distance;
                $at = $i;
            }
        }

        return [$at, $farthest];
    }

    /**
     * Whether no corner of another border, or of another part of this one, lies between a part and its chord, or on the chord.
     *
     * @param  list<int>  $corners
     */
    private function isClear(array $corners, int $from, int $to): bool
    {
        $wide = $this->wide;
        $own = [];
        $crossings = [];
        [$ax, $ay] = [$corners[$from] % $wide, intdiv($corners[$from], $wide)];
        [$bx, $by] = [$corners[$to] % $wide, intdiv($corners[$to], $wide)];
        [$x, $y] = [$ax, $ay];
        for ($i = $from; $i <= $to; $i++) {
            $own[$corners[$i]] = true;
            $nextX = $corners[$i] % $wide;
            $nextY = intdiv($corners[$i], $wide);
            // sides go along columns or rows; of those along columns the lower end does not count
            for ($row = min($y, $nextY), $end = max($y, $nextY); $row < $end; $row++) {
                $crossings[$row][] = $nextX;
            }
            [$x, $y] = [$nextX, $nextY];
        }
        for ($row = min($ay, $by), $end = max($ay, $by); $row < $end; $row++) {
            $crossings[$row][] = $ax + ($bx - $ax) * ($row - $ay) / ($by - $ay);
        }
        foreach ($crossings as $row => $line) {
            sort($line);
            for ($k = 0; $k + 1 < count($line); $k += 2) {
                for ($col = (int) floor($line[$k]) + 1; $col < $line[$k + 1]; $col++) {
                    if (! isset($own[$row * $wide + $col]) && $this->isCorner($col, $row)) {
                        return false;
                    }
                }
            }
        }
        $parts = self::divisor(abs($bx - $ax), abs($by - $ay));
        for ($k = 1; $k < $parts; $k++) {
            [$col, $row] = [$ax + intdiv(($bx - $ax) * $k, $parts), $ay + intdiv(($by - $ay) * $k, $parts)];
            if (! isset($own[$row * $wide + $col]) && $this->isCorner($col, $row)) {
                return false;
            }
        }

        return true;
    }

    /** Whether a border turns at a corner, or several meet there. */
    private function isCorner(int $col, int $row): bool
    {
        [$a, $b, $c, $d] = [$this->sample($col - 1, $row - 1), $this->sample($col, $row - 1), $this->sample($col - 1, $row), $this->sample($col, $row)];

        return ($a !== $b || $c !== $d) && ($a !== $c || $b !== $d);
    }

    private function sample(int $col, int $row): string
    {
        if ($col < 0 || $row < 0 || $col >= $this->width || $row >= $this->height) {
            return '';
        }
        [$left, $top, $across, $samples] = $this->near;

        return substr($samples, (($row - $top) * $across + $col - $left) * $this->bytes, $this->bytes);
    }

    /**
     * Reads what lies around a border.
     *
     * @param  list<int>  $corners
     */
    private function look(array $corners): void
    {
        $left = $right = $corners[0] % $this->wide;
        foreach ($corners as $corner) {
            $col = $corner % $this->wide;
            $left = $col < $left ? $col : $left;
            $right = $col > $right ? $col : $right;
        }
        $window = (new Window(
            $left - 1,
            intdiv(min($corners), $this->wide) - 1,
            $right - $left + 2,
            intdiv(max($corners), $this->wide) - intdiv(min($corners), $this->wide) + 2,
        ))->within($this->width, $this->height);
        $this->near = [$window->col, $window->row, $window->width, ($this->samples)($window)];
    }

    private static function divisor(int $a, int $b): int
    {
        while ($b !== 0) {
            [$a, $b] = [$b, $a % $b];
        }

        return $a;
    }
}
