<?php

namespace Chorometra\Core\Regions\Numbers;

use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Work\Context;

/** The class that each segment has most pixels of, of those alike the lowest code; pixels without a value have no say, unlabelled ones do. */
final readonly class Majority
{
    /** Instead of a code, for pixels without a value. */
    private const NONE = 0xFFFF;

    /**
     * @param  array<int, int>  $codes  by number of the segment; those without a value are missing
     * @param  array<int, float>  $shares  of its pixels that have a value
     * @param  int  $most  the greatest number
     * @param  array<int, int>  $counts  pixels by code times 2³², and number of the segment
     */
    private function __construct(public array $codes, public array $shares, public int $most, private array $counts) {}

    public static function of(Image $segments, Image $map, Context $context): self
    {
        $grid = $segments->spec()->grid;
        $none = $map->spec()->nodataCode();
        $counts = [];
        (new Pass($grid))->gather(
            $context,
            'looking for classes',
            function (Window $window) use ($segments, $map, $none): string {
                $labels = Values::codes($segments, $window);
                $codes = Values::codes($map, $window);
                $counts = self::counts($labels, $codes, count($labels), $none);

                return pack('P*', ...array_keys($counts)).pack('V*', ...array_values($counts));
            },
            function (string $packed) use (&$counts): void {
                $number = intdiv(strlen($packed), 12);
                $keys = array_values((array) unpack('P*', substr($packed, 0, 8 * $number)));
                self::add($counts, $keys, array_values((array) unpack('V*', substr($packed, 8 * $number))), $number);
            },
        );
        $codes = $best = $all = [];
        $most = 0;
        foreach ($counts as $key => $count) {
            [$label, $code] = [$key & 0xFFFFFFFF, $key >> 32];
            $most = max($most, $label);
            if ($code === self::NONE) {
                continue;
            }
            $all[$label] = ($all[$label] ?? 0) + $count;
            $leading = $best[$label] ?? 0;
            if ($count > $leading || ($count === $leading && $code < $codes[$label])) {
                $best[$label] = $count;
                $codes[$label] = $code;
            }
        }
        $shares = [];
        foreach ($best as $label => $count) {
            $shares[$label] = $count / $all[$label];
        }

        return new self($codes, $shares, $most, $counts);
    }

    /**
     * How many pixels would be of another code than they are.
     *
     * @param  list<int>  $codes  by number; −1 where all stay as they are
     */
    public function changing(array $codes): int
    {
        $changing = 0;
        foreach ($this->counts as $key => $count) {
            $code = $codes[$key & 0xFFFFFFFF];
            $changing += $code < 0 || $code === $key >> 32 ? 0 : $count;
        }

        return $changing;
    }

    /**
     * Pixels by segment and class, a run of both at a time.
     *
     * @param  list<int>  $labels
     * @param  list<int>  $codes
     * @return array<int, int> by code times 2³², and number of the segment
     */
    public static function counts(array $labels, array $codes, int $count, int $none): array
    {
        $counts = [];
        $i = 0;
        while ($i < $count) {
            $label = $labels[$i];
            $code = $codes[$i];
            $from = $i;
            do {
                $i++;
            } while ($i < $count && $labels[$i] === $label && $codes[$i] === $code);
            if ($label > 0) {
                $code = $code === $none ? self::NONE : $code;
                // numbers of segments below: a table finds keys by their last bits
                $key = $code << 32 | $label;
                $counts[$key] = ($counts[$key] ?? 0) + $i - $from;
            }
        }

        return $counts;
    }

    /**
     * @param  array<int, int>  $counts
     * @param  list<int>  $keys
     * @param  list<int>  $some
     */
    private static function add(array &$counts, array $keys, array $some, int $number): void
    {
        for ($i = 0; $i < $number; $i++) {
            $counts[$keys[$i]] = ($counts[$keys[$i]] ?? 0) + $some[$i];
        }
    }
}
