<?php

namespace Chorometra\Core\Compare\Change;

use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Stats\MinimumError;
use Chorometra\Core\Stats\Mixture;

/**
 * Limits of change as a histogram suggests them: how far from no change a value must be. Nothing takes them by itself.
 *
 * Change on both sides is looked for in the distance from the median, as in the length of a change vector.
 */
final class Proposal
{
    /** Bins that are fine enough where change reaches far. */
    public const BINS = 2048;

    /**
     * @param  bool  $both  whether change lies on both sides of no change, or above it only
     * @return list<array{
     *     by: string, centre: float|null, below: float|null, above: float, share: float, classes: list<array{share: float, mean: float, deviation: float}>
     * }> share of the values beyond the limits; classes are those of the distance where there is a centre
     */
    public static function of(Histogram $histogram, bool $both): array
    {
        $width = ($histogram->maximum - $histogram->minimum) / max(1, count($histogram->counts));
        if ($width <= 0.0) {
            return [];
        }
        $centre = $both ? self::median($histogram, $width) : null;
        [$counts, $from] = $centre === null ? [$histogram->counts, $histogram->minimum] : [self::folded($histogram, $centre, $width), 0.0];
        $to = $from + count($counts) * $width;
        $split = MinimumError::limit($counts, $from, $to);
        if ($split === null) {
            return [];
        }
        $mixture = Mixture::of($counts, $from, $to, [$split]);
        $limits = ['mixture' => $mixture?->limit(0, $to), 'minimum-error' => $split];

        return array_values(array_map(fn (string $by, float $limit): array => [
            'by' => $by,
            'centre' => $centre,
            'below' => $centre === null ? null : $centre - $limit,
            'above' => ($centre ?? 0.0) + $limit,
            'share' => self::beyond($counts, $from, $width, $limit),
            'classes' => $by === 'mixture' ? $mixture->classes ?? [] : [],
        ], array_keys($found = array_filter($limits, is_float(...))), $found));
    }

    private static function median(Histogram $histogram, float $width): float
    {
        $rest = 0.5 * array_sum($histogram->counts);
        foreach ($histogram->counts as $bin => $count) {
            if ($count >= $rest && $count > 0) {
                return $histogram->minimum + ($bin + $rest / $count) * $width;
            }
            $rest -= $count;
        }

        return 0.5 * ($histogram->minimum + $histogram->maximum);
    }

    /** @return list<int> counts of the distance from the centre, in bins as wide as those of the histogram */
    private static function folded(Histogram $histogram, float $centre, float $width): array
    {
        $bins = 1 + (int) (max($centre - $histogram->minimum, $histogram->maximum - $centre) / $width);
        $folded = array_fill(0, $bins, 0);
        foreach ($histogram->counts as $bin => $count) {
            $folded[min($bins - 1, (int) (abs($histogram->minimum + ($bin + 0.5) * $width - $centre) / $width))] += $count;
        }

        return $folded;
    }

    /** @param  list<int>  $counts */
    private static function beyond(array $counts, float $from, float $width, float $limit): float
    {
        $share = 0.0;
        foreach ($counts as $bin => $count) {
            $share += $count * max(0.0, min(1.0, ($from + ($bin + 1) * $width - $limit) / $width));
        }

        return $share / max(1, array_sum($counts));
    }
}
