<?php

namespace Chorometra\Core\Deliver;

/**
 * Boundaries of the regions of a label image, as rings of pixel corners.
 *
 * Each ring follows pixel edges with its region on the right; regions are 4-connected, so corners where a region meets itself
 * diagonally do not join. A ring that touches itself is cut there, so every ring is simple: one shell, and holes.
 */
final class Rings
{
    private readonly int $stride;

    /** @var list<int> labels with a frame of 0 around */
    private array $labels;

    /**
     * @param  list<int>  $labels  rows of $width; 0 belongs to nothing
     * @param  (\Closure(): void)|null  $pulse  called now and then in long work; what it throws ends it
     */
    public function __construct(array $labels, private readonly int $width, private readonly int $height, private readonly ?\Closure $pulse = null)
    {
        $this->stride = $width + 2;
        $framed = array_fill(0, $this->stride, 0);
        for ($row = 0; $row < $height; $row++) {
            $this->beat($row);
            $framed[] = 0;
            array_push($framed, ...array_slice($labels, $row * $width, $width));
            $framed[] = 0;
        }
        array_push($framed, ...array_fill(0, $this->stride, 0));
        $this->labels = $framed;
    }

    /**
     * Rings by region, each as soon as its last row is passed, so that only regions under way are held; corners as
     * row * (width + 1) + column.
     *
     * @param  array<int, true>|null  $wanted  regions to trace; all when null
     * @return iterable<int, list<list<int>>> open rings (the first corner is not repeated); the shell is the one that runs clockwise on screen
     */
    public function trace(?array $wanted = null): iterable
    {
        $ending = $this->ending();
        $seen = [];
        $rings = [];
        $labels = $this->labels;
        $stride = $this->stride;
        for ($row = 1; $row <= $this->height; $row++) {
            $this->beat($row);
            for ($col = 1, $at = $row * $stride + 1; $col <= $this->width; $col++, $at++) {
                $label = $labels[$at];
                if ($label !== 0 && $labels[$at - $stride] !== $label && ! isset($seen[$row][$at]) && ($wanted === null || isset($wanted[$label]))) {
                    foreach ($this->simple($this->follow($at, $label, $seen), $label) as $ring) {
                        $rings[$label][] = $ring;
                    }
                }
            }
            unset($seen[$row]);
            foreach ($ending[$row] ?? [] as $label) {
                if (isset($rings[$label])) {
                    yield $label => $rings[$label];
                    unset($rings[$label]);
                }
            }
            unset($ending[$row]);
        }
    }

    private function beat(int $row): void
    {
        if ($this->pulse !== null && ($row & 127) === 0) {
            ($this->pulse)();
        }
    }

    /** @return array<int, list<int>> the regions whose last row is this one, by row (counted in the frame) */
    private function ending(): array
    {
        $last = [];
        $labels = $this->labels;
        for ($row = 1, $at = 0; $row <= $this->height; $row++) {
            $this->beat($row);
            for ($col = 1, $at = $row * $this->stride + 1; $col <= $this->width; $col++, $at++) {
                $last[$labels[$at]] = $row;
            }
        }
        unset($last[0]);
        ksort($last);
        $ending = [];
        foreach ($last as $label => $row) {
            $ending[$row][] = $label;
        }

        return $ending;
    }

    /**
     * Twice the signed area; positive for shells (clockwise on screen, where rows grow downwards).
     *
     * @param  list<int>  $ring
     */
    public function area(array $ring): int
    {
        $wide = $this->width + 1;
        $sum = 0;
        $previous = $ring[count($ring) - 1];
        foreach ($ring as $corner) {
            $sum += ($previous % $wide) * intdiv($corner, $wide) - ($corner % $wide) * intdiv($previous, $wide);
            $previous = $corner;
        }

        return $sum;
    }

    /** Whether more or fewer than two boundary lines come together at a corner: borders are shared between such corners. */
    public function isNode(int $corner): bool
    {
        $wide = $this->width + 1;
        $at = (intdiv($corner, $wide) + 1) * $this->stride + $corner % $wide + 1;
        $a = $this->labels[$at - $this->stride - 1];
        $b = $this->labels[$at - $this->stride];
        $c = $this->labels[$at - 1];
        $d = $this->labels[$at];

        return ($a !== $b ? 1 : 0) + ($b !== $d ? 1 : 0) + ($d !== $c ? 1 : 0) + ($c !== $a ? 1 : 0) > 2;
    }

    /**
     * @param  array<int, array<int, true>>  $seen  pixels whose upper edge is done, by row
     * @return list<int> corners at every pixel edge
     */
    private function follow(int $start, int $label, array &$seen): array
    {
        // directions: 0 east, 1 south, 2 west, 3 north; the pixel to the right of the way is inside
        $labels = $this->labels;
        $stride = $this->stride;
        $ahead = [1, $stride, -1, -$stride];
        $leftOf = [-$stride, 1, $stride, -1];
        $corners = [];
        $pixel = $start;
        $direction = 0;
        do {
            if ($direction === 0) {
                $seen[intdiv($pixel, $this->stride)][$pixel] = true;
            }
            $corners[] = $this->corner($pixel, $direction);
            $next = $pixel + $ahead[$direction];
            if ($labels[$next] !== $label) {
                $direction = ($direction + 1) & 3;
            } elseif ($labels[$next + $leftOf[$direction]] !== $label) {
                $pixel = $next;
            } else {
                $pixel = $next + $leftOf[$direction];
                $direction = ($direction + 3) & 3;
            }
        } while ($pixel !== $start || $direction !== 0);

        return $corners;
    }

    /** Where the edge of a pixel begins. */
    private function corner(int $pixel, int $direction): int
    {
        $row = intdiv($pixel, $this->stride) - 1;
        $col = $pixel % $this->stride - 1;

        return match ($direction) {
            0 => $row * ($this->width + 1) + $col,
            1 => $row * ($this->width + 1) + $col + 1,
            2 => ($row + 1) * ($this->width + 1) + $col + 1,
            default => ($row + 1) * ($this->width + 1) + $col,
        };
    }

    /**
     * A walk around a region cut where it touches itself.
     *
     * @param  list<int>  $corners
     * @return list<list<int>>
     */
    private function simple(array $corners, int $label): array
    {
        $rings = [];
        $stack = [];
        $at = [];
        foreach ($corners as $corner) {
            if (isset($at[$corner])) {
                $loop = array_splice($stack, $at[$corner]);
                foreach ($loop as $one) {
                    unset($at[$one]);
                }
                $rings[] = $loop;
            }
            // only where a region meets itself diagonally can its walk come by again
            if ($this->isSaddle($corner, $label)) {
                $at[$corner] = count($stack);
            }
            $stack[] = $corner;
        }
        array_unshift($rings, $stack);

        return $rings;
    }

    private function isSaddle(int $corner, int $label): bool
    {
        $wide = $this->width + 1;
        $low = (intdiv($corner, $wide) + 1) * $this->stride + $corner % $wide + 1;
        $a = $this->labels[$low - $this->stride - 1] === $label;
        $b = $this->labels[$low - $this->stride] === $label;

        return $a !== $b && $a === ($this->labels[$low] === $label) && $b === ($this->labels[$low - 1] === $label);
    }
}
