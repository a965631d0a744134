<?php

namespace Chorometra\Core\Correct\Radar;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Computed;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Raster\Wrapped;

/** Power of a radar image averaged over blocks of pixels: fewer pixels, less grain. What is left over at the right and below is dropped. */
final readonly class MultiLook implements Computed
{
    use Wrapped;

    /** Pixels of the image read at once, where blocks allow. */
    private const PIECE = 1 << 20;

    private RasterSpec $spec;

    /** @var list<int> */
    private array $bands;

    /** @param  bool  $isAmplitude  whether samples are squared to power first */
    public function __construct(private Image $image, private int $columns, private int $rows, private bool $isAmplitude)
    {
        $spec = $image->spec();
        $grid = $spec->grid;
        [$across, $down] = [intdiv($grid->width, $columns), intdiv($grid->height, $rows)];
        $looks = $grid->crop(new Window(0, 0, $across * $columns, $down * $rows))->resized($across, $down);
        // a phase has no power
        $this->bands = array_keys(array_filter($spec->bands, fn (Band $band): bool => $band->part !== 'phase'));
        $this->spec = $spec->with(grid: $looks)->measured(array_map(fn (int $k): Band => self::called($spec->bands[$k]), $this->bands));
    }

    public function levels(): array
    {
        return [[$this->spec->grid->width, $this->spec->grid->height]];
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        return Codec::encode($this->values($band, $window), SampleType::Float32, NAN);
    }

    public function values(int $band, Window $window): array
    {
        $out = [];
        $step = max(1, intdiv(self::PIECE, $window->width * $this->columns * $this->rows));
        if ($step >= $window->height) {
            return $this->piece($band, $window);
        }
        for ($row = 0; $row < $window->height; $row += $step) {
            array_push($out, ...$this->piece($band, new Window($window->col, $window->row + $row, $window->width, min($step, $window->height - $row))));
        }

        return $out;
    }

    /** @return list<float> */
    private function piece(int $band, Window $window): array
    {
        $from = new Window($window->col * $this->columns, $window->row * $this->rows, $window->width * $this->columns, $window->height * $this->rows);
        $source = $this->bands[$band];
        $values = Values::of($this->image, $source, $from);
        if ($this->isAmplitude) {
            $values = self::power($values, count($values));
        }

        return $this->columns * $this->rows === 1 ? $values : self::average($values, $window->width, $window->height, $this->columns, $this->rows);
    }

    /**
     * @param  list<float>  $values
     * @return list<float>
     */
    public static function power(array $values, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] *= $values[$i];
        }

        return $values;
    }

    /**
     * Mean over the valid pixels of each block.
     *
     * $columns × $rows pixels become one.
     *
     * @param  list<float>  $values  of all blocks, row by row
     * @param  int  $width  blocks in a row
     * @param  int  $height  rows of blocks
     * @return list<float>
     */
    public static function average(array $values, int $width, int $height, int $columns, int $rows): array
    {
        $out = array_fill(0, $width * $height, NAN);
        $stride = $width * $columns;
        $o = 0;
        for ($y = 0; $y < $height; $y++) {
            $start = $y * $rows * $stride;
            for ($x = 0; $x < $width; $x++) {
                $sum = 0.0;
                $n = 0;
                for ($r = 0; $r < $rows; $r++) {
                    $i = $start + $r * $stride;
                    for ($c = 0; $c < $columns; $c++, $i++) {
                        if ($values[$i] === $values[$i]) {
                            $sum += $values[$i];
                            $n++;
                        }
                    }
                }
                if ($n > 0) {
                    $out[$o] = $sum / $n;
                }
                $o++;
                $start += $columns;
            }
        }

        return $out;
    }

    /** What was a magnitude is one no longer, and is not called one. */
    private static function called(Band $band): Band
    {
        return new Band($band->role, $band->part === 'magnitude' && $band->role !== null ? null : $band->name);
    }
}
