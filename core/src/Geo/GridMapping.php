<?php

namespace Chorometra\Core\Geo;

/**
 * Where the pixels of one grid lie in another: exact within one CRS; between two, exact at the ends and middles of pieces of each row, and
 * by a parabola between, which is nowhere further off than TOLERANCE.
 */
final class GridMapping
{
    /** Pixels of the grid that is looked into. */
    public const TOLERANCE = 1e-4;

    /** Columns of a piece; pieces start at multiples of it, whatever window is asked for. */
    private readonly int $piece;

    /** @var array{float, float, float, float, float, float}|null */
    private readonly ?array $affine;

    private readonly Projection $from;

    private readonly Projection $to;

    /**
     * @param  Grid  $grid  whose pixels are looked for
     * @param  Grid  $other  in which they are looked for
     * @param  string  $name  of the other's image, for messages
     * @param  \Closure(float, float): array{float, float}|null  $bend  moves positions of the grid before they are looked for
     */
    public function __construct(private readonly Grid $grid, private readonly Grid $other, string $name, private readonly ?\Closure $bend = null)
    {
        $same = $grid->epsg === $other->epsg && ($grid->epsg !== null || $grid->geoKeys === $other->geoKeys);
        $this->affine = $same && $bend === null ? self::affine($grid, $other) : null;
        $this->from = $same ? new Geographic : Crs::needGrid($grid, 'The grid wanted', 'crs');
        $this->to = $same ? new Geographic : Crs::needGrid($other, $name, 'image');
        $this->piece = $this->affine !== null ? $grid->width : $this->pieceLength();
    }

    /** @return array{float, float} column and row in the other grid of a position in the grid (corners at whole numbers); NAN beyond reach */
    public function at(float $col, float $row): array
    {
        if ($this->affine !== null) {
            $a = $this->affine;

            return [$a[0] + $a[1] * $col + $a[2] * $row, $a[3] + $a[4] * $col + $a[5] * $row];
        }

        if ($this->bend !== null) {
            [$col, $row] = ($this->bend)($col, $row);
        }

        return $this->other->toPixel(...$this->to->forward(...$this->from->inverse(...$this->grid->toMap($col, $row))));
    }

    /**
     * Positions of the centres of $count pixels of a row, from $first, put into $cols and $rows from $offset.
     *
     * $row of the grid, from 0.
     *
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     */
    public function row(int $row, int $first, int $count, array &$cols, array &$rows, int $offset): void
    {
        if ($this->affine !== null) {
            [$c, $r] = $this->at(0.0, $row + 0.5);
            self::line($cols, $rows, $offset, $count, $first, $c, $r, $this->affine[1], $this->affine[4]);

            return;
        }
        $end = $first + $count;
        $start = $this->piece * intdiv($first, $this->piece);
        $left = $this->at($start + 0.5, $row + 0.5);
        for (; $start < $end; $start += $this->piece) {
            $middle = $this->at($start + 0.5 + 0.5 * $this->piece, $row + 0.5);
            $right = $this->at($start + 0.5 + $this->piece, $row + 0.5);
            $from = max($start, $first);
            $to = min($start + $this->piece, $end);
            if (is_nan($left[0] + $middle[0] + $right[0])) {
                for ($col = $from; $col < $to; $col++) {
                    [$cols[$offset + $col - $first], $rows[$offset + $col - $first]] = $this->at($col + 0.5, $row + 0.5);
                }
            } else {
                self::parabola($cols, $offset + $from - $first, $from - $start, $to - $from, 1 / $this->piece, $left[0], $middle[0], $right[0]);
                self::parabola($rows, $offset + $from - $first, $from - $start, $to - $from, 1 / $this->piece, $left[1], $middle[1], $right[1]);
            }
            $left = $right;
        }
    }

    /** @return array{int, int}|null columns and rows to add, where each pixel of the grid is one of the other's, which is nowhere further off than TOLERANCE */
    public function shift(): ?array
    {
        if ($this->affine === null) {
            return null;
        }
        [$c, $dc, $ec, $r, $er, $dr] = $this->affine;
        [$cols, $rows] = [round($c), round($r)];
        $far = fn (float $off, float $across, float $down): float => abs($off) + abs($across) * $this->grid->width + abs($down) * $this->grid->height;

        return max($far($c - $cols, $dc - 1, $ec), $far($r - $rows, $er, $dr - 1)) < self::TOLERANCE && max(abs($cols), abs($rows)) < 1 << 31
            ? [(int) $cols, (int) $rows]
            : null;
    }

    /** Whether columns depend on columns and rows on rows only, and rise with them. */
    public function isAligned(): bool
    {
        return $this->affine !== null && $this->affine[2] === 0.0 && $this->affine[4] === 0.0 && $this->affine[1] > 0.0 && $this->affine[5] > 0.0;
    }

    /** @return array{float, float} columns and rows of the other grid that one pixel covers, at the middle of the grid */
    public function footprint(): array
    {
        $col = 0.5 * $this->grid->width;
        $row = 0.5 * $this->grid->height;
        [$a, $b] = [$this->at($col - 0.5, $row), $this->at($col + 0.5, $row)];
        [$c, $d] = [$this->at($col, $row - 0.5), $this->at($col, $row + 0.5)];

        return [abs($b[0] - $a[0]) + abs($d[0] - $c[0]), abs($b[1] - $a[1]) + abs($d[1] - $c[1])];
    }

    /** @return array{float, float, float, float, float, float} */
    private static function affine(Grid $grid, Grid $other): array
    {
        [$c0, $r0] = $other->toPixel($grid->transform[0], $grid->transform[3]);
        $t = $grid->transform;
        $o = $other->transform;
        $determinant = $o[1] * $o[5] - $o[2] * $o[4];

        return [
            $c0, ($o[5] * $t[1] - $o[2] * $t[4]) / $determinant, ($o[5] * $t[2] - $o[2] * $t[5]) / $determinant,
            $r0, ($o[1] * $t[4] - $o[4] * $t[1]) / $determinant, ($o[1] * $t[5] - $o[4] * $t[2]) / $determinant,
        ];
    }

    private function pieceLength(): int
    {
        $piece = 1;
        while ($piece < $this->grid->width) {
            $piece *= 2;
        }
        for (; $piece > 4; $piece = intdiv($piece, 2)) {
            if ($this->fits($piece)) {
                return $piece;
            }
        }

        return $piece;
    }

    private function fits(int $piece): bool
    {
        foreach ([0.5, 0.5 * $this->grid->height, $this->grid->height - 0.5] as $row) {
            for ($start = 0.5; $start < $this->grid->width; $start += $piece) {
                [$left, $middle, $right] = [$this->at($start, $row), $this->at($start + 0.5 * $piece, $row), $this->at($start + $piece, $row)];
                foreach ([0.25, 0.75] as $share) {
                    $exact = $this->at($start + $share * $piece, $row);
                    foreach ([0, 1] as $axis) {
                        $guess = self::between($share, $left[$axis], $middle[$axis], $right[$axis]);
                        // half of it here: rows between those tried are no worse than that
                        if (abs($guess - $exact[$axis]) > 0.5 * self::TOLERANCE) {
                            return false;
                        }
                    }
                }
            }
        }

        return true;
    }

    private static function between(float $s, float $left, float $middle, float $right): float
    {
        return $left + $s * ((4 * $middle - 3 * $left - $right) + $s * 2 * ($left - 2 * $middle + $right));
    }

    /**
     * $count positions from index $offset on, $step of the piece apart; $left, $middle and $right are exact.
     *
     * @param  list<float>  $out
     * @param  int  $skip  columns of the piece before the first wanted
     */
    private static function parabola(array &$out, int $offset, int $skip, int $count, float $step, float $left, float $middle, float $right): void
    {
        $b = 4 * $middle - 3 * $left - $right;
        $c = 2 * ($left - 2 * $middle + $right);
        for ($i = 0; $i < $count; $i++) {
            // the step is a power of two: no digit is lost
            $at = ($skip + $i) * $step;
            $out[$offset + $i] = $left + $at * ($b + $at * $c);
        }
    }

    /**
     * $count positions from index $offset on, of columns from $first: $c and $r at column 0, $dc and $dr more with each.
     *
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     */
    private static function line(array &$cols, array &$rows, int $offset, int $count, int $first, float $c, float $r, float $dc, float $dr): void
    {
        for ($i = 0; $i < $count; $i++) {
            $at = $first + $i + 0.5;
            $cols[$offset + $i] = $c + $at * $dc;
            $rows[$offset + $i] = $r + $at * $dr;
        }
    }
}
