<?php

namespace Chorometra\Core\Correct\Ties;

use Chorometra\Core\Geo\Grid;

/** Where to look for the ground of the reference in the image to move, about: a shift, a turn and a scale of the map. */
final readonly class TieStart
{
    /**
     * @param  array{float, float}  $from  a place in the reference, in map coordinates
     * @param  array{float, float}  $to  where it lies in the image to move
     * @param  float  $cosine  of the turn, times the scale
     */
    public function __construct(private Grid $grid, private array $from, private array $to, public float $cosine = 1.0, public float $sine = 0.0) {}

    /**
     * The two places that somebody pointed at in both images.
     *
     * @param  list<float>  $told  x and y in the reference, x and y in the image to move; twice
     */
    public static function byHand(Grid $grid, array $told): self
    {
        [$a, $b, $p, $q, $c, $d, $r, $s] = $told;
        [$dx, $dy, $dp, $dq] = [$c - $a, $d - $b, $r - $p, $s - $q];
        $square = $dx ** 2 + $dy ** 2;

        return new self($grid, [$a, $b], [$p, $q], ($dx * $dp + $dy * $dq) / $square, ($dx * $dq - $dy * $dp) / $square);
    }

    public function isShift(): bool
    {
        return $this->cosine === 1.0 && $this->sine === 0.0;
    }

    /** @return array{float, float} of a pixel position of the reference, the position on the same grid at which the image to move shows it */
    public function at(float $col, float $row): array
    {
        [$x, $y] = $this->grid->toMap($col, $row);
        [$dx, $dy] = [$x - $this->from[0], $y - $this->from[1]];

        return $this->grid->toPixel($this->to[0] + $this->cosine * $dx - $this->sine * $dy, $this->to[1] + $this->sine * $dx + $this->cosine * $dy);
    }

    /** @return array<string, float> for the figures */
    public function figures(): array
    {
        [$col, $row] = [0.5 * $this->grid->width, 0.5 * $this->grid->height];
        [$c, $r] = $this->at($col, $row);

        return [
            'columns' => round($c - $col, 2),
            'rows' => round($r - $row, 2),
            'turned-by' => round(rad2deg(atan2($this->sine, $this->cosine)), 2),
            'scale' => round(hypot($this->cosine, $this->sine), 4),
        ];
    }
}
