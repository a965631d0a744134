<?php

namespace Chorometra\Core\Compare\Change;

use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Stats\MinimumError;
use Chorometra\Core\Stats\Mixture;

/** Limits of change as a histogram suggests them, the share of the values beyond them, and what each rests on. Nothing takes them by itself. */
final class Proposal
{
    /** Bins that are fine enough where change reaches far. */
    public const BINS = 2048;

    /**
     * @param  bool  $both  whether change lies on both sides of no change, or above it only
     * @return list<array{by: string, below: float|null, above: float|null, share: float, classes: list<array{share: float, mean: float, deviation: float}>}>
     */
    public static function of(Histogram $histogram, bool $both): array
    {
        $found = [];
        $limits = MinimumError::limits($histogram->counts, $histogram->minimum, $histogram->maximum, $both ? 2 : 1);
        if ($limits === null) {
            return [];
        }
        $mixture = Mixture::of($histogram->counts, $histogram->minimum, $histogram->maximum, $limits);
        if ($mixture !== null) {
            // without change the values crowd about one place, and without sides that is where they are least
            $peaks = array_map(fn (array $class): float => $both ? $class['share'] / $class['deviation'] : -$class['mean'], $mixture->classes);
            $same = (int) array_search(max($peaks), $peaks, true);
            [$below, $above] = [$both ? $mixture->limit($same, $histogram->minimum) : null, $mixture->limit($same, $histogram->maximum)];
            if ($below !== null || $above !== null) {
                $found[] = ['by' => 'mixture', 'below' => $below, 'above' => $above, 'share' => self::beyond($histogram, $below, $above),
                    'classes' => $mixture->classes];
            }
        }
        $below = $both ? $limits[0] : null;
        $above = $limits[count($limits) - 1];
        $found[] = ['by' => 'minimum-error', 'below' => $below, 'above' => $above, 'share' => self::beyond($histogram, $below, $above), 'classes' => []];

        return $found;
    }

    private static function beyond(Histogram $histogram, ?float $below, ?float $above): float
    {
        $width = ($histogram->maximum - $histogram->minimum) / count($histogram->counts);
        $share = 0.0;
        foreach ($histogram->counts as $bin => $count) {
            $from = $histogram->minimum + $bin * $width;
            $under = $below === null ? 0.0 : max(0.0, min(1.0, ($below - $from) / $width));
            $over = $above === null ? 0.0 : max(0.0, min(1.0, ($from + $width - $above) / $width));
            $share += $count * min(1.0, $under + $over);
        }

        return $share / max(1, $histogram->pixels);
    }
}
