<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\GridMapping;
use Chorometra\Core\Geo\Window;

/**
 * An image seen on another grid, in another CRS too. Where a pixel's centre lies outside the image, there is nodata (for averages and commonest
 * codes: where nothing of the box around the pixel lies inside); at its edge the edge's pixels stand for what lies beyond. What is written
 * of it needs a value for nodata: WithNodata.
 *
 * Cubic convolution: Keys 1981, IEEE Transactions on Acoustics, Speech, and Signal Processing 29:1153–1160, a = −0.5. Where some of the
 * sixteen are nodata, the valid of the four around count, by distance; where the pixel at the centre is nodata, so is the result.
 */
final class Warped implements Computed
{
    use Wrapped;

    /** Values of the image read at a time. */
    private const PIECE = 1 << 20;

    private readonly RasterSpec $spec;

    private readonly GridMapping $mapping;

    /** @var array{int, int}|null columns and rows between the grids, where they coincide: every resampling then gives the pixels as they are */
    private readonly ?array $shift;

    /** @var array{float, float} half of the box around a pixel, in pixels of the image */
    private readonly array $half;

    private readonly bool $isByArea;

    /** Whether cubic weights can be taken along rows and along columns by themselves; where pixels become much larger, that would be more work. */
    private readonly bool $isAligned;

    /** @var array{Window, list<float>, list<float>}|null positions for the window read last: bands are read in turn */
    private ?array $positions = null;

    private readonly int $width;

    private readonly int $height;

    /**
     * @param  int  $level  of the image, that is read
     * @param  \Closure(float, float): array{float, float}|null  $bend  moves pixel positions of the grid before they are looked for
     */
    public function __construct(
        private readonly Image $image,
        Grid $grid,
        private readonly Resampling $resampling,
        private readonly int $level = 0,
        ?\Closure $bend = null,
    ) {
        $spec = $image->spec();
        $this->spec = $spec->with(grid: $grid);
        [$this->width, $this->height] = $image->levels()[$level];
        $this->mapping = new GridMapping($grid, $spec->grid->resized($this->width, $this->height), $image->name(), $bend);
        $this->shift = $this->mapping->shift();
        [$across, $down] = $this->mapping->footprint();
        $this->half = [0.5 * $across, 0.5 * $down];
        $this->isByArea = $resampling === Resampling::Average || $resampling === Resampling::Mode;
        $this->isAligned = $resampling === Resampling::Cubic && $this->mapping->isAligned() && max($across, $down) <= 2.0;
    }

    public function levels(): array
    {
        return [[$this->spec->grid->width, $this->spec->grid->height]];
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        return Codec::encode($this->values($band, $window), $this->spec->type, $this->spec->nodata);
    }

    public function values(int $band, Window $window): array
    {
        if ($this->shift !== null) {
            return $this->shifted($band, $window, ...$this->shift);
        }
        if ($this->isAligned) {
            return $this->aligned($band, $window);
        }
        if ($this->positions === null || $this->positions[0] != $window) {
            $cols = $rows = array_fill(0, $window->pixels(), 0.0);
            for ($y = 0; $y < $window->height; $y++) {
                $this->mapping->row($window->row + $y, $window->col, $window->width, $cols, $rows, $y * $window->width);
            }
            $this->positions = [$window, $cols, $rows];
        }
        $out = array_fill(0, $window->pixels(), NAN);
        $this->piece($out, $band, $window->width, 0, 0, $window->width, $window->height);

        return $out;
    }

    /** @return list<float> */
    private function aligned(int $band, Window $window): array
    {
        $cols = $rows = $none = [];
        $this->mapping->row($window->row, $window->col, $window->width, $cols, $none, 0);
        for ($y = 0; $y < $window->height; $y++) {
            $this->mapping->row($window->row + $y, $window->col, 1, $none, $rows, $y);
        }
        $inside = fn (int $size): \Closure => fn (float $at): bool => $at >= 0.0 && $at < $size;
        $wanted = [array_filter($cols, $inside($this->width)), array_filter($rows, $inside($this->height))];
        $out = array_fill(0, $window->pixels(), NAN);
        if ($wanted[0] === [] || $wanted[1] === []) {
            return $out;
        }
        [$left, $top] = [(int) array_key_first($wanted[0]), (int) array_key_first($wanted[1])];
        [$cols, $rows] = array_map(array_values(...), $wanted);
        // cutting off is rounding down from beyond the edge
        $col = (int) ($cols[0] + 1.5) - 3;
        $wide = (int) ($cols[count($cols) - 1] + 1.5) + 1 - $col;
        $step = max(1, intdiv(self::PIECE, $wide) - 4);
        foreach (array_chunk($rows, $step) as $k => $some) {
            $row = (int) ($some[0] + 1.5) - 3;
            $high = (int) ($some[count($some) - 1] + 1.5) + 1 - $row;
            $made = AlignedCubic::of($this->padded($band, new Window($col, $row, $wide, $high)), $wide, $col, $row, $cols, $some);
            if (count($made) === count($out)) {
                return $made;
            }
            Values::put($out, $made, ($top + $k * $step) * $window->width + $left, $window->width, count($cols), count($some));
        }

        return $out;
    }

    /** @return list<float> */
    private function shifted(int $band, Window $window, int $cols, int $rows): array
    {
        $there = new Window($window->col + $cols, $window->row + $rows, $window->width, $window->height);
        $inside = $there->within($this->width, $this->height);
        if ($inside->isEmpty()) {
            return array_fill(0, $window->pixels(), NAN);
        }
        $values = $this->own($band, $inside);
        if ($inside->pixels() === $window->pixels()) {
            return $values;
        }
        $left = $inside->col - $there->col;
        $before = array_fill(0, $left, NAN);
        $after = array_fill(0, $window->width - $inside->width - $left, NAN);
        $lines = [array_fill(0, ($inside->row - $there->row) * $window->width, NAN)];
        for ($row = 0; $row < $inside->height; $row++) {
            array_push($lines, $before, array_slice($values, $row * $inside->width, $inside->width), $after);
        }
        $lines[] = array_fill(0, ($there->row + $there->height - $inside->row - $inside->height) * $window->width, NAN);

        return array_merge(...$lines);
    }

    /**
     * A part of the window, cut smaller until what it needs of the image is little.
     *
     * $stride columns of the window; the part begins at $x, $y in it and has $width × $height pixels.
     *
     * @param  list<float>  $out
     */
    private function piece(array &$out, int $band, int $stride, int $x, int $y, int $width, int $height): void
    {
        assert($this->positions !== null);
        [, $cols, $rows] = $this->positions;
        [$reachX, $reachY] = $this->isByArea ? $this->half : [0.0, 0.0];
        [$left, $right, $top, $bottom] = self::bounds(
            $cols,
            $rows,
            $stride,
            $x,
            $y,
            $width,
            $height,
            (float) $this->width,
            (float) $this->height,
            $reachX,
            $reachY,
        );
        if ($left > $right) {
            return;
        }
        $margin = $this->isByArea ? [(int) ceil($this->half[0]), (int) ceil($this->half[1])] : [2, 2];
        $col = (int) $left - $margin[0];
        $row = (int) $top - $margin[1];
        $wide = (int) $right + $margin[0] + 1 - $col;
        $high = (int) $bottom + $margin[1] + 1 - $row;
        // on grids turned against each other a narrow piece needs less around it
        $scale = 4 * max(0.5, $this->half[0]) * max(0.5, $this->half[1]);
        if (($wide * $high > self::PIECE && $width * $height > 1) || ($wide * $high > 1.3 * $scale * $width * $height && $width >= 256)) {
            if ($width >= $height || $width >= 256) {
                $half = intdiv($width, 2);
                $this->piece($out, $band, $stride, $x, $y, $half, $height);
                $this->piece($out, $band, $stride, $x + $half, $y, $width - $half, $height);
            } else {
                $half = intdiv($height, 2);
                $this->piece($out, $band, $stride, $x, $y, $width, $half);
                $this->piece($out, $band, $stride, $x, $y + $half, $width, $height - $half);
            }

            return;
        }
        $values = $this->padded($band, new Window($col, $row, $wide, $high));
        $given = [$values, $cols, $rows, $stride, $y * $stride + $x, $width, $height, $wide, $col, $row];
        $size = [(float) $this->width, (float) $this->height];
        match ($this->resampling) {
            Resampling::Nearest => self::nearest($out, ...$given, ...$size),
            Resampling::Bilinear => self::bilinear($out, ...$given, ...$size),
            Resampling::Cubic => self::cubic($out, ...$given, ...$size),
            Resampling::Average => self::average($out, ...$given, ...$this->half, ...$size),
            Resampling::Mode => self::mode($out, ...$given, ...$this->half, ...$size),
        };
    }

    /**
     * Values of a window that may reach beyond the image, where its edge is repeated.
     *
     * @return list<float>
     */
    private function padded(int $band, Window $window): array
    {
        $inside = $window->within($this->width, $this->height);
        $values = $this->own($band, $inside);
        if ($inside->width === $window->width && $inside->height === $window->height) {
            return $values;
        }
        $left = $inside->col - $window->col;
        $right = $window->width - $inside->width - $left;
        $lines = [];
        for ($row = 0; $row < $inside->height; $row++) {
            $line = array_slice($values, $row * $inside->width, $inside->width);
            $lines[] = [...array_fill(0, $left, $line[0]), ...$line, ...array_fill(0, $right, $line[$inside->width - 1])];
        }
        $above = $inside->row - $window->row;
        $below = $window->height - $inside->height - $above;

        return array_merge(...array_fill(0, $above, $lines[0]), ...$lines, ...array_fill(0, $below, $lines[$inside->height - 1]));
    }

    /** @return list<float> of a window inside the image */
    private function own(int $band, Window $window): array
    {
        return Values::of($this->image, $band, $window, $this->level);
    }

    /**
     * $stride columns of the window, the part of $width × $height pixels from $x, $y; the image has $columns × $lines, and pixels reach $reachX,
     * $reachY beyond it.
     *
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     * @return array{float, float, float, float} least and greatest column, least and greatest row, of those inside
     */
    private static function bounds(
        array $cols,
        array $rows,
        int $stride,
        int $x,
        int $y,
        int $width,
        int $height,
        float $columns,
        float $lines,
        float $reachX,
        float $reachY,
    ): array {
        $left = $top = INF;
        $right = $bottom = -INF;
        $columns += $reachX;
        $lines += $reachY;
        for ($j = 0; $j < $height; $j++) {
            $start = ($y + $j) * $stride + $x;
            for ($i = $start, $end = $start + $width; $i < $end; $i++) {
                $c = $cols[$i];
                $r = $rows[$i];
                if ($c >= -$reachX && $r >= -$reachY && $c < $columns && $r < $lines) {
                    $left = $c < $left ? $c : $left;
                    $right = $c > $right ? $c : $right;
                    $top = $r < $top ? $r : $top;
                    $bottom = $r > $bottom ? $r : $bottom;
                }
            }
        }

        return [$left, $right, $top, $bottom];
    }

    /**
     * $stride columns of the window, the part of $width × $height pixels from index $at; $wide columns of $values, which begin at $col, $row of the
     * image of $columns × $lines pixels. So in all that follow.
     *
     * @param  list<float>  $out
     * @param  list<float>  $values  of a window of the image from $col, $row, $wide columns
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     */
    private static function nearest(
        array &$out,
        array $values,
        array $cols,
        array $rows,
        int $stride,
        int $at,
        int $width,
        int $height,
        int $wide,
        int $col,
        int $row,
        float $columns,
        float $lines,
    ): void {
        for ($j = 0; $j < $height; $j++) {
            $start = $at + $j * $stride;
            for ($i = $start, $end = $start + $width; $i < $end; $i++) {
                $c = $cols[$i];
                $r = $rows[$i];
                if ($c >= 0.0 && $r >= 0.0 && $c < $columns && $r < $lines) {
                    $out[$i] = $values[((int) $r - $row) * $wide + (int) $c - $col];
                }
            }
        }
    }

    /**
     * See nearest() for $stride, $at, $width, $height, $wide, $col, $row, $columns, $lines.
     *
     * @param  list<float>  $out
     * @param  list<float>  $values
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     */
    private static function bilinear(
        array &$out,
        array $values,
        array $cols,
        array $rows,
        int $stride,
        int $at,
        int $width,
        int $height,
        int $wide,
        int $col,
        int $row,
        float $columns,
        float $lines,
    ): void {
        // counted from beyond the edge, so that cutting off is rounding down
        for ($j = 0; $j < $height; $j++) {
            $start = $at + $j * $stride;
            for ($i = $start, $end = $start + $width; $i < $end; $i++) {
                $c = $cols[$i];
                $r = $rows[$i];
                if ($c >= 0.0 && $r >= 0.0 && $c < $columns && $r < $lines) {
                    $x = (int) ($c + 1.5) - 2;
                    $y = (int) ($r + 1.5) - 2;
                    $s = $c - 0.5 - $x;
                    $t = $r - 0.5 - $y;
                    $k = ($y - $row) * $wide + $x - $col;
                    $upper = $values[$k] + $s * ($values[$k + 1] - $values[$k]);
                    $lower = $values[$k + $wide] + $s * ($values[$k + $wide + 1] - $values[$k + $wide]);
                    $value = $upper + $t * ($lower - $upper);
                    $out[$i] = $value === $value ? $value : self::valid($values, $k, $wide, $s, $t);
                }
            }
        }
    }

    /**
     * See nearest() for $stride, $at, $width, $height, $wide, $col, $row, $columns, $lines.
     *
     * @param  list<float>  $out
     * @param  list<float>  $values
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     */
    private static function cubic(
        array &$out,
        array $values,
        array $cols,
        array $rows,
        int $stride,
        int $at,
        int $width,
        int $height,
        int $wide,
        int $col,
        int $row,
        float $columns,
        float $lines,
    ): void {
        for ($j = 0; $j < $height; $j++) {
            $start = $at + $j * $stride;
            for ($i = $start, $end = $start + $width; $i < $end; $i++) {
                $c = $cols[$i];
                $r = $rows[$i];
                if ($c >= 0.0 && $r >= 0.0 && $c < $columns && $r < $lines) {
                    $x = (int) ($c + 1.5) - 2;
                    $y = (int) ($r + 1.5) - 2;
                    $s = $c - 0.5 - $x;
                    $t = $r - 0.5 - $y;
                    // the weights of the four each way, which add up to 1: −½ s u², u + s u (1 − 3/2 s), the rest, −½ s² u with u = 1 − s
                    $u = 1.0 - $s;
                    $h = -0.5 * $s * $u;
                    $a = $h * $u;
                    $d = $h * $s;
                    $b = $u - $h * (2.0 - 3.0 * $s);
                    $e = 1.0 - $h - $b;
                    $u = 1.0 - $t;
                    $h = -0.5 * $t * $u;
                    $f = $u - $h * (2.0 - 3.0 * $t);
                    $k = ($y - $row) * $wide + $x - $col;
                    $m = $k - $wide - 1;
                    $n = $k - 1;
                    $o = $k + $wide - 1;
                    $p = $o + $wide;
                    $value = $h * $u * ($a * $values[$m] + $b * $values[$m + 1] + $e * $values[$m + 2] + $d * $values[$m + 3])
                        + $f * ($a * $values[$n] + $b * $values[$n + 1] + $e * $values[$n + 2] + $d * $values[$n + 3])
                        + (1.0 - $h - $f) * ($a * $values[$o] + $b * $values[$o + 1] + $e * $values[$o + 2] + $d * $values[$o + 3])
                        + $h * $t * ($a * $values[$p] + $b * $values[$p + 1] + $e * $values[$p + 2] + $d * $values[$p + 3]);
                    $out[$i] = $value === $value ? $value : self::valid($values, $k, $wide, $s, $t);
                }
            }
        }
    }

    /**
     * The valid of the four around, by distance; NaN where the nearest is not valid.
     *
     * $k is the index of the upper left of the four in rows of $wide; $s and $t the shares of a pixel that the place lies to the right of it and
     * below.
     *
     * @param  list<float>  $values
     */
    public static function valid(array $values, int $k, int $wide, float $s, float $t): float
    {
        $nearest = $values[$k + ($s >= 0.5 ? 1 : 0) + ($t >= 0.5 ? $wide : 0)];
        if ($nearest !== $nearest) {
            return NAN;
        }
        $sum = $weight = 0.0;
        foreach ([[$k, (1 - $s) * (1 - $t)], [$k + 1, $s * (1 - $t)], [$k + $wide, (1 - $s) * $t], [$k + $wide + 1, $s * $t]] as [$at, $w]) {
            if ($values[$at] === $values[$at]) {
                $sum += $w * $values[$at];
                $weight += $w;
            }
        }

        return $sum / $weight;
    }

    /**
     * See nearest() for $stride, $at, $width, $height, $wide, $col, $row, $columns, $lines; the box reaches $halfX, $halfY each way.
     *
     * @param  list<float>  $out
     * @param  list<float>  $values
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     */
    private static function average(
        array &$out,
        array $values,
        array $cols,
        array $rows,
        int $stride,
        int $at,
        int $width,
        int $height,
        int $wide,
        int $col,
        int $row,
        float $halfX,
        float $halfY,
        float $columns,
        float $lines,
    ): void {
        // slivers come from rounding
        $least = 4e-6 * $halfX * $halfY;
        for ($j = 0; $j < $height; $j++) {
            $start = $at + $j * $stride;
            for ($i = $start, $end = $start + $width; $i < $end; $i++) {
                $c = $cols[$i];
                $r = $rows[$i];
                if ($c > -$halfX && $r > -$halfY && $c < $columns + $halfX && $r < $lines + $halfY) {
                    // beyond the image there is nothing to count
                    $x0 = $c > $halfX ? $c - $halfX : 0.0;
                    $x1 = $c + $halfX < $columns ? $c + $halfX : $columns;
                    $y0 = $r > $halfY ? $r - $halfY : 0.0;
                    $y1 = $r + $halfY < $lines ? $r + $halfY : $lines;
                    $sum = $weight = 0.0;
                    for ($y = (int) $y0; $y < $y1; $y++) {
                        $h = ($y + 1.0 < $y1 ? $y + 1.0 : $y1) - ($y > $y0 ? $y : $y0);
                        for ($x = (int) $x0, $k = ($y - $row) * $wide + $x - $col; $x < $x1; $x++, $k++) {
                            $value = $values[$k];
                            if ($value === $value) {
                                $w = $h * (($x + 1.0 < $x1 ? $x + 1.0 : $x1) - ($x > $x0 ? $x : $x0));
                                $sum += $w * $value;
                                $weight += $w;
                            }
                        }
                    }
                    $out[$i] = $weight > $least ? $sum / $weight : NAN;
                }
            }
        }
    }

    /**
     * See nearest() for $stride, $at, $width, $height, $wide, $col, $row, $columns, $lines; the box reaches $halfX, $halfY each way.
     *
     * @param  list<float>  $out
     * @param  list<float>  $values
     * @param  list<float>  $cols
     * @param  list<float>  $rows
     */
    private static function mode(
        array &$out,
        array $values,
        array $cols,
        array $rows,
        int $stride,
        int $at,
        int $width,
        int $height,
        int $wide,
        int $col,
        int $row,
        float $halfX,
        float $halfY,
        float $columns,
        float $lines,
    ): void {
        // slivers come from rounding
        $least = 4e-6 * $halfX * $halfY;
        for ($j = 0; $j < $height; $j++) {
            $start = $at + $j * $stride;
            for ($i = $start, $end = $start + $width; $i < $end; $i++) {
                $c = $cols[$i];
                $r = $rows[$i];
                if ($c > -$halfX && $r > -$halfY && $c < $columns + $halfX && $r < $lines + $halfY) {
                    $x0 = $c > $halfX ? $c - $halfX : 0.0;
                    $x1 = $c + $halfX < $columns ? $c + $halfX : $columns;
                    $y0 = $r > $halfY ? $r - $halfY : 0.0;
                    $y1 = $r + $halfY < $lines ? $r + $halfY : $lines;
                    $shares = [];
                    for ($y = (int) $y0; $y < $y1; $y++) {
                        $h = ($y + 1.0 < $y1 ? $y + 1.0 : $y1) - ($y > $y0 ? $y : $y0);
                        for ($x = (int) $x0, $k = ($y - $row) * $wide + $x - $col; $x < $x1; $x++, $k++) {
                            $value = $values[$k];
                            if ($value === $value) {
                                $code = (int) $value;
                                $shares[$code] = ($shares[$code] ?? 0.0) + $h * (($x + 1.0 < $x1 ? $x + 1.0 : $x1) - ($x > $x0 ? $x : $x0));
                            }
                        }
                    }
                    $most = $least;
                    foreach ($shares as $code => $share) {
                        // shares of like area differ in the last digits only
                        if ($share > $most + 1e-9 || ($share > $most - 1e-9 && $code < $out[$i])) {
                            $most = $share > $most ? $share : $most;
                            $out[$i] = 1.0 * $code;
                        }
                    }
                }
            }
        }
    }
}
