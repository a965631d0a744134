<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Infinite;

/**
 * Counts of values in bins of one width, from the least to the greatest value; the last bin holds its upper edge too. Where a few outliers would
 * leave all others a bin or two, bins reach only once as far beyond the middle 99 % as these are wide, and the first and the last hold what
 * lies beyond.
 */
final readonly class Histogram
{
    /** Pixels looked at; larger images are counted on an overview. */
    private const MOST_PIXELS = 4 << 20;

    /** Where the middle 99 % take a smaller part of the range than this, the rest are outliers; common practice, no source. */
    private const CROWDED = 0.02;

    /** @param  list<int>  $counts */
    public function __construct(
        public float $minimum,
        public float $maximum,
        public array $counts,
        public int $pixels,
        public int $missing,
        public int $reduced = 1,
        public ?Moments $moments = null,
        public int $infinite = 0,
    ) {}

    /**
     * Counts of one band. Integers of 8 and 16 bits are counted by code in one pass, from which everything follows exactly; other
     * types take two passes, the first for the range.
     *
     * @param  int  $mostPixels  above it an overview is counted; 0 for the full resolution whatever its size
     */
    public static function of(Image $image, int $band, int $bins, ?Context $context = null, int $mostPixels = self::MOST_PIXELS): self
    {
        $context ??= new Context(1);
        $level = self::level($image, $mostPixels);
        $type = $image->spec()->type;
        $moments = new Moments;
        $counts = array_fill(0, $bins, 0);
        if ($type->bytes() <= 2) {
            $codes = array_fill(0, 1 << (8 * $type->bytes()), 0);
            self::blocks($image, $band, $level, $context, function (string $bytes) use ($type, $codes): array {
                $type->bytes() === 1 ? self::tally8($bytes, $codes) : self::tally16($bytes, $codes);

                return array_filter($codes);
            }, function (array $some) use (&$codes): void {
                foreach ($some as $code => $count) {
                    $codes[$code] += $count;
                }
            });
            [$codes, $missing] = self::byValue($codes, $type, $image->spec()->nodata);
            $moments = Moments::ofCounts($codes, $missing);
            [$minimum, $maximum] = self::range($moments, self::ofCodes($codes, 0.5), self::ofCodes($codes, 99.5));
            self::spread($counts, $codes, $minimum, $maximum, $bins);
        } else {
            $spec = $image->spec();
            $moments = self::moments($image, $band, $context, $mostPixels);
            // one in a hundred at an end gives at least this deviation: with more, there is no look for outliers
            $mayBeCrowded = $moments->count > 0 && ! ($moments->deviation() > 0.1 * ($moments->maximum - $moments->minimum));
            [$minimum, $maximum] = $mayBeCrowded
                ? self::range($moments, ...Percentiles::of($image, $band, [0.5, 99.5], $context, $level))
                : [$moments->minimum, $moments->maximum];
            self::blocks($image, $band, $level, $context, function (string $bytes) use ($type, $spec, $minimum, $maximum, $counts, $bins): array {
                $values = Codec::values($bytes, $type, $spec->nodata);
                self::count($counts, $values, count($values), $minimum, $maximum, $bins);

                return $counts;
            }, function (array $some) use (&$counts): void {
                foreach ($some as $bin => $count) {
                    $counts[$bin] += $count;
                }
            });
        }

        return new self(
            $moments->count ? $minimum : 0.0,
            $moments->count ? $maximum : 0.0,
            $counts,
            $moments->count,
            $moments->missing,
            1 << $level,
            $moments,
            $moments->infinite,
        );
    }

    /** Range, mean and deviation of one band, in one pass over the level that `of` would count. */
    public static function moments(Image $image, int $band, Context $context, int $mostPixels = self::MOST_PIXELS): Moments
    {
        $spec = $image->spec();
        if ($spec->type->bytes() <= 2) {
            // counts by code tell them in half the time
            return self::of($image, $band, 1, $context, $mostPixels)->moments ?? new Moments;
        }
        $moments = new Moments;
        self::blocks($image, $band, self::level($image, $mostPixels), $context, function (string $bytes) use ($spec): array {
            $before = Infinite::seen();
            $moments = Moments::of(Codec::values($bytes, $spec->type, $spec->nodata));

            return [$moments->merge(new Moments(infinite: Infinite::seen() - $before))];
        }, function (array $some) use (&$moments): void {
            $moments = $moments->merge($some[0]);
        });

        return $moments;
    }

    /**
     * From where to where bins go.
     *
     * @param  float  $low  percentile 0.5
     * @param  float  $high  percentile 99.5
     * @return array{float, float}
     */
    private static function range(Moments $moments, float $low, float $high): array
    {
        $wide = $high - $low;

        return $wide > 0.0 && $wide < self::CROWDED * ($moments->maximum - $moments->minimum)
            ? [max($moments->minimum, $low - $wide), min($moments->maximum, $high + $wide)]
            : [$moments->minimum, $moments->maximum];
    }

    /** @param  array<int, int>  $codes  pixels by value, rising */
    private static function ofCodes(array $codes, float $percent): float
    {
        $rank = $percent / 100 * array_sum($codes);
        foreach ($codes as $value => $count) {
            $rank -= $count;
            if ($rank <= 0.0) {
                break;
            }
        }

        return (float) ($value ?? 0);
    }

    /** The finest level of an image that has no more pixels, as far as there are overviews; 0, full resolution, where $mostPixels is 0. */
    public static function level(Image $image, int $mostPixels): int
    {
        $level = 0;
        $levels = $image->levels();
        while ($mostPixels > 0 && isset($levels[$level + 1]) && $levels[$level][0] * $levels[$level][1] > $mostPixels) {
            $level++;
        }

        return $level;
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
        return [
            'minimum' => $this->minimum,
            'maximum' => $this->maximum,
            'counts' => $this->counts,
            'pixels' => $this->pixels,
            'nodata' => $this->missing,
            'reduced' => $this->reduced,
            'otsu' => $this->otsu(),
        ] + ($this->infinite > 0 ? ['infinite' => $this->infinite] : []);
    }

    /**
     * Works through a level in blocks of rows, on all workers.
     *
     * @param  \Closure(string): array<mixed>  $task  raw samples to what they add
     * @param  \Closure(array<mixed>): void  $add  what a block adds
     */
    private static function blocks(Image $image, int $band, int $level, Context $context, \Closure $task, \Closure $add): void
    {
        $pass = new Pass(new Grid(...$image->levels()[$level]));
        $pass->gather($context, 'counting values', fn (Window $window): array => $task($image->read($band, $window, $level)), $add);
    }

    /** @param  array<int, int>  $codes */
    private static function tally16(string $bytes, array &$codes): void
    {
        $words = Codec::words($bytes);
        $whole = strlen($bytes) >> 3;
        for ($k = 0; $k < $whole; $k++) {
            /** @var int $word */
            $word = $words[$k];
            $codes[$word & 0xFFFF]++;
            $codes[($word >> 16) & 0xFFFF]++;
            $codes[($word >> 32) & 0xFFFF]++;
            $codes[($word >> 48) & 0xFFFF]++;
        }
        foreach (Codec::codes(substr($bytes, $whole << 3), SampleType::UInt16) as $code) {
            $codes[$code]++;
        }
    }

    /** @param  array<int, int>  $codes */
    private static function tally8(string $bytes, array &$codes): void
    {
        foreach (count_chars($bytes, 1) as $code => $count) {
            $codes[$code] += $count;
        }
    }

    /**
     * Counts by value, rising, without nodata.
     *
     * @param  array<int, int>  $codes  by code as stored
     * @return array{array<int, int>, int} counts, and pixels of nodata
     */
    private static function byValue(array $codes, SampleType $type, ?float $nodata): array
    {
        $size = count($codes);
        $half = $type->tiffFormat() === 2 ? $size >> 1 : $size;
        $values = [];
        foreach ($codes as $code => $count) {
            if ($count > 0) {
                $values[$code < $half ? $code : $code - $size] = $count;
            }
        }
        ksort($values);
        $missing = 0;
        if ($nodata !== null && isset($values[(int) $nodata]) && (float) (int) $nodata === $nodata) {
            $missing = $values[(int) $nodata];
            unset($values[(int) $nodata]);
        }

        return [$values, $missing];
    }

    /**
     * $bins of equal width from $minimum to $maximum.
     *
     * @param  list<int>  $counts
     * @param  array<int, int>  $values
     */
    private static function spread(array &$counts, array $values, float $minimum, float $maximum, int $bins): void
    {
        $factor = $maximum > $minimum ? $bins / ($maximum - $minimum) : 0.0;
        foreach ($values as $value => $count) {
            $counts[min($bins - 1, max(0, (int) ($factor * ($value - $minimum))))] += $count;
        }
    }

    /**
     * $number values into $bins of equal width from $minimum to $maximum; the first and the last hold what lies beyond.
     *
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
                $at = $factor * ($value - $minimum);
                $counts[$at >= $last ? $last : ($at > 0.0 ? (int) $at : 0)]++;
            }
        }
    }
}
