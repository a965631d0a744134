<?php

namespace Chorometra\Core\Stats;

use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Window;

/** Counts of values in bins of one width, from the least to the greatest value; the last bin holds its upper edge too. */
final readonly class Histogram
{
    /** Pixels looked at; larger images are counted on an overview. */
    private const MOST_PIXELS = 4 << 20;

    /** @param  list<int>  $counts */
    public function __construct(public float $minimum, public float $maximum, public array $counts, public int $pixels, public int $missing, public int $reduced = 1) {}

    public static function of(Image $image, int $band, int $bins): self
    {
        $level = 0;
        $levels = $image->levels();
        while (isset($levels[$level + 1]) && $levels[$level][0] * $levels[$level][1] > self::MOST_PIXELS) {
            $level++;
        }
        [$width, $height] = $levels[$level];
        $spec = $image->spec();
        $blocks = [];
        $moments = new Moments;
        for ($row = 0; $row < $height; $row += 256) {
            $values = Codec::values($image->read($band, new Window(0, $row, $width, min(256, $height - $row)), $level), $spec->type, $spec->nodata);
            $moments = $moments->merge(Moments::of($values));
            $blocks[] = $values;
        }
        $counts = array_fill(0, $bins, 0);
        foreach ($blocks as $values) {
            self::count($counts, $values, count($values), $moments->minimum, $moments->maximum, $bins);
        }

        return new self($moments->count ? $moments->minimum : 0.0, $moments->count ? $moments->maximum : 0.0, $counts, $moments->count, $moments->missing, 1 << $level);
    }

    /**
     * The bin edge that divides the values so that the variance between the two sides is greatest; null for fewer than two filled bins.
     *
     * Source: Otsu 1979, IEEE Transactions on Systems, Man and Cybernetics 9:62–66.
     */
    public function otsu(): ?float
    {
        $best = 0.0;
        $edge = null;
        $total = (float) array_sum($this->counts);
        $all = 0.0;
        foreach ($this->counts as $bin => $count) {
            $all += $bin * $count;
        }
        $below = 0.0;
        $sum = 0.0;
        foreach ($this->counts as $bin => $count) {
            $below += $count;
            $sum += $bin * $count;
            if ($below > 0 && $below < $total) {
                $between = $below * ($total - $below) * ($sum / $below - ($all - $sum) / ($total - $below)) ** 2;
                if ($between > $best) {
                    $best = $between;
                    $edge = $bin + 1;
                }
            }
        }

        return $edge === null ? null : $this->minimum + $edge * ($this->maximum - $this->minimum) / count($this->counts);
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['minimum' => $this->minimum, 'maximum' => $this->maximum, 'counts' => $this->counts, 'pixels' => $this->pixels, 'nodata' => $this->missing, 'reduced' => $this->reduced, 'otsu' => $this->otsu()];
    }

    /**
     * @param  list<int>  $counts
     * @param  list<float>  $values
     */
    public static function count(array &$counts, array $values, int $number, float $minimum, float $maximum, int $bins): void
    {
        $factor = $maximum > $minimum ? $bins / ($maximum - $minimum) : 0.0;
        $last = $bins - 1;
        for ($i = 0; $i < $number; $i++) {
            $value = $values[$i];
            if ($value === $value) {
                $bin = (int) ($factor * ($value - $minimum));
                $counts[$bin > $last ? $last : $bin]++;
            }
        }
    }
}
