<?php

namespace Chorometra\Core\Correct\Ties;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Stats\PhaseCorrelation;

/** Looks for what lies at a place of one image in another, to parts of a pixel. */
final class TieMatch
{
    /** Share of a window that may be nodata. */
    private const HOLES = 0.2;

    private const ROUNDS = 8;

    /**
     * $band of the one, $other of the reference; the square of $side pixels from $col, $row of the reference.
     *
     * @param  \Closure(float, float): array{float, float}  $start
     * @return array{col: float, row: float, dc: float, dr: float, quality: float}|null
     */
    public static function at(Image $moving, Image $reference, int $band, int $other, int $col, int $row, int $side, \Closure $start, bool $isShift): ?array
    {
        $spec = $reference->spec();
        $own = self::filled(Values::of($reference, $other, new Window($col, $row, $side, $side)));
        if ($own === null) {
            return null;
        }
        $dc = $dr = $quality = 0.0;
        $half = $side / 2;
        // the square is cut anew where the last look found it, between pixels too: what is left in the end is nothing, whatever the window did
        for ($round = 0; $round < self::ROUNDS; $round++) {
            $values =
                $isShift && self::areParallel($moving->spec()->grid, $spec->grid)
                    ? self::cut($moving, $band, $spec->grid, $start($col + $dc, $row + $dr), $side)
                    : self::laid($moving, $band, $spec->grid, $col, $row, $side, fn (float $c, float $r): array => $start($c + $dc, $r + $dr));
            $values = $values === null ? null : self::filled($values);
            $shift = $values === null ? null : PhaseCorrelation::shift($own, $values, $side);
            if ($shift === null) {
                return null;
            }
            $dc += $shift[0];
            $dr += $shift[1];
            $quality = $shift[2];
            if (abs($shift[0]) + abs($shift[1]) < 0.002) {
                break;
            }
        }
        [$c, $r] = $start($col + $half + $dc, $row + $half + $dr);

        return ['col' => $col + $half, 'row' => $row + $half, 'dc' => $c - $col - $half, 'dr' => $r - $row - $half, 'quality' => $quality];
    }

    /** Whether the pixels of two grids are of one size and lie in one direction. */
    private static function areParallel(Grid $one, Grid $other): bool
    {
        if ($one->epsg !== $other->epsg || ($one->epsg === null && $one->geoKeys !== $other->geoKeys) || $one->controls !== null) {
            return false;
        }
        $size = max(abs($one->transform[1]), abs($one->transform[2]));
        foreach ([1, 2, 4, 5] as $k) {
            if (abs($one->transform[$k] - $other->transform[$k]) > 1e-9 * $size) {
                return false;
            }
        }

        return true;
    }

    /**
     * A square of an image whose pixels are like those of the reference, cut between them.
     *
     * @param  array{float, float}  $at  its upper left corner, on the grid of the reference
     * @return list<float>|null NaN for what is not there; null where most of it is not
     */
    private static function cut(Image $moving, int $band, Grid $grid, array $at, int $side): ?array
    {
        $spec = $moving->spec();
        [$col, $row] = $spec->grid->toPixel(...$grid->toMap(...$at));
        [$left, $top] = [(int) round($col), (int) round($row)];
        $window = new Window($left, $top, $side, $side);
        $inside = $window->within($spec->grid->width, $spec->grid->height);
        if ($inside->pixels() < (1 - self::HOLES) * $side * $side) {
            return null;
        }
        $reach = SubPixel::REACH;
        $wide = $side + 2 * $reach;
        $around = (new Window($left - $reach, $top - $reach, $wide, $wide))->within($spec->grid->width, $spec->grid->height);
        $values = Values::of($moving, $band, $around);
        $filled = self::filled($values);
        if ($filled === null) {
            return null;
        }
        // the edge's pixels stand for what lies beyond
        $lines = [];
        for ($y = 0; $y < $wide; $y++) {
            $line = array_slice($filled, max(0, min($around->height - 1, $top - $reach + $y - $around->row)) * $around->width, $around->width);
            $before = $around->col - $left + $reach;
            $lines[] = [...array_fill(0, $before, $line[0]), ...$line, ...array_fill(0, $wide - $before - $around->width, $line[$around->width - 1])];
        }

        return SubPixel::moved(array_merge(...$lines), $side, $col - $left, $row - $top);
    }

    /**
     * A square of an image on other pixels, or turned, laid over those of the reference.
     *
     * @param  \Closure(float, float): array{float, float}  $start
     * @return list<float> NaN for what is not there
     */
    private static function laid(Image $moving, int $band, Grid $grid, int $col, int $row, int $side, \Closure $start): array
    {
        $t = $grid->transform;
        [$x, $y] = $grid->toMap($col, $row);
        $square = new Grid($side, $side, [$x, $t[1], $t[2], $y, $t[4], $t[5]], $grid->epsg, $grid->geoKeys);
        $there = new Warped(
            $moving,
            $square,
            Resampling::Cubic,
            bend: function (float $c, float $r) use ($start, $col, $row): array {
                [$toCol, $toRow] = $start($col + $c, $row + $r);

                return [$toCol - $col, $toRow - $row];
            },
        );

        return $there->values($band, new Window(0, 0, $side, $side));
    }

    /**
     * Nodata becomes the mean; null where there is too much of it.
     *
     * @param  list<float>  $values
     * @return list<float>|null
     */
    public static function filled(array $values): ?array
    {
        $sum = 0.0;
        $valid = 0;
        foreach ($values as $value) {
            if ($value === $value) {
                $sum += $value;
                $valid++;
            }
        }
        if ($valid < (1 - self::HOLES) * count($values)) {
            return null;
        }
        $mean = $sum / $valid;
        foreach ($values as $k => $value) {
            if ($value !== $value) {
                $values[$k] = $mean;
            }
        }

        return $values;
    }
}
