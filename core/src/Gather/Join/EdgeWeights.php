<?php

namespace Chorometra\Core\Gather\Join;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Work\Context;

/**
 * How much an image counts at a place: from 0 at the edge of its valid pixels to 1 a fade's width inside, by distance on a reduced grid.
 *
 * Distance: two-pass chamfer with 1 and √2 (Borgefors 1986, Computer Vision, Graphics, and Image Processing 34:344–371, from memory).
 */
final readonly class EdgeWeights
{
    private const CELLS = 1024;

    /** @param  list<float>  $cells  weights of cells, with a rim of one */
    private function __construct(private array $cells, private int $stride, private float $side, private Window $place) {}

    /** @param  float  $fade  in pixels */
    public static function of(Warped $part, Window $place, float $fade, Context $context): self
    {
        $side = max(1, (int) ceil(max($place->width, $place->height) / self::CELLS), (int) floor($fade / 16));
        $columns = (int) ceil($place->width / $side);
        $rows = (int) ceil($place->height / $side);
        $stride = $columns + 2;
        $cells = array_fill(0, $stride * ($rows + 2), 0.0);
        for ($row = 0; $row < $rows; $row++) {
            $context->check();
            $values = $part->values(0, new Window($place->col, $place->row + min($place->height - 1, $row * $side + intdiv($side, 2)), $place->width, 1));
            for ($col = 0; $col < $columns; $col++) {
                $value = $values[min($place->width - 1, $col * $side + intdiv($side, 2))];
                $cells[($row + 1) * $stride + $col + 1] = $value === $value ? INF : 0.0;
            }
        }
        self::distances($cells, $stride, $rows, $columns);
        $factor = $side / $fade;
        foreach ($cells as $i => $distance) {
            // half a cell: the edge lies between the last valid cell and the first that is not
            $cells[$i] = $distance > 0.0 ? min(1.0, max(1e-6, ($distance - 0.5) * $factor)) : 1e-6;
        }

        return new self($cells, $stride, (float) $side, $place);
    }

    /** @return list<float> weights of the pixels of a window, which lies inside the image's place */
    public function values(Window $window): array
    {
        return self::between(
            $this->cells,
            $this->stride,
            1 / $this->side,
            $window->col - $this->place->col,
            $window->row - $this->place->row,
            $window->width,
            $window->height,
        );
    }

    /** @param  list<float>  $cells */
    private static function distances(array &$cells, int $stride, int $rows, int $columns): void
    {
        foreach ([1, -1] as $way) {
            for ($j = 0; $j < $rows; $j++) {
                $row = $way > 0 ? $j + 1 : $rows - $j;
                for ($i = 0; $i < $columns; $i++) {
                    $at = $row * $stride + ($way > 0 ? $i + 1 : $columns - $i);
                    $above = $at - $way * $stride;
                    $cells[$at] = min($cells[$at], $cells[$at - $way] + 1, $cells[$above] + 1, $cells[$above - 1] + M_SQRT2, $cells[$above + 1] + M_SQRT2);
                }
            }
        }
    }

    /**
     * Cells in rows of $stride, $scale cells to a pixel; $width × $height pixels from $left, $top of the image's place.
     *
     * @param  list<float>  $cells
     * @return list<float>
     */
    private static function between(array $cells, int $stride, float $scale, int $left, int $top, int $width, int $height): array
    {
        $out = [];
        for ($y = 0; $y < $height; $y++) {
            $r = ($top + $y + 0.5) * $scale + 0.5;
            $row = (int) $r;
            $t = $r - $row;
            for ($x = 0; $x < $width; $x++) {
                $c = ($left + $x + 0.5) * $scale + 0.5;
                $col = (int) $c;
                $s = $c - $col;
                $k = $row * $stride + $col;
                $upper = $cells[$k] + $s * ($cells[$k + 1] - $cells[$k]);
                $lower = $cells[$k + $stride] + $s * ($cells[$k + $stride + 1] - $cells[$k + $stride]);
                $out[] = $upper + $t * ($lower - $upper);
            }
        }

        return $out;
    }
}
