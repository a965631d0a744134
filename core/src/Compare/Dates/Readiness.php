<?php

namespace Chorometra\Core\Compare\Dates;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\PhaseCorrelation;
use Chorometra\Core\Step\Call;

/** What stands against comparing two dates, in sentences; it is told, and left to the person. The limits are common practice, no source. */
final class Readiness
{
    /** Degrees of the sun, and days of the year, that make a difference of their own. */
    private const SUN = 10.0;

    private const DAYS = 30;

    /** Pixels of a shift that draw seams along edges, and how well squares must match for it to count. */
    private const SHIFT = 0.2;

    private const MATCH = 0.15;

    private const SIDE = 64;

    private const SQUARES = 5;

    /** @return array<string, mixed> for the figures of a run; of a trial the desk has told it already */
    public static function figures(Call $call, TwoDates $dates): array
    {
        $told = $call->context->trial ? [] : self::of($dates);

        return $told === [] ? [] : ['against' => array_values($told)];
    }

    /** @return array<string, string> by what it is: order, units, season, sun, shift */
    public static function of(TwoDates $dates): array
    {
        return array_filter([
            'order' => self::order($dates->before, $dates->after),
            'units' => self::units($dates),
            'season' => self::season($dates->before, $dates->after),
            'sun' => self::sun($dates->before, $dates->after),
            'shift' => self::lies($dates),
        ]);
    }

    private static function order(Image $before, Image $after): ?string
    {
        [$one, $other] = [self::date($before), self::date($after)];

        return $one !== null && $other !== null && $one > $other
            ? "“Before” is of {$one->format('j F Y')} and “after” of {$other->format('j F Y')}: turn them round, or gains will read as losses."
            : null;
    }

    private static function units(TwoDates $dates): ?string
    {
        foreach ($dates->bands as $place => [$before, $after]) {
            [$one, $other] = [$dates->before->spec()->bands[$before]->unit, $dates->after->spec()->bands[$after]->unit];
            if ($one !== $other) {
                return sprintf(
                    '%s is in %s before and %s after: convert both to the same unit first, or the difference in units will appear as change.',
                    ucfirst($dates->labels()[$place]),
                    $one ?? 'no known unit',
                    $other === null ? 'in no known unit' : "in $other",
                );
            }
        }
        if ($dates->unit(0) === 'counts') {
            return 'Both dates are in counts, in which sun and atmosphere differ from date to date. Convert them to reflectance first.';
        }

        return null;
    }

    private static function season(Image $before, Image $after): ?string
    {
        [$one, $other] = [self::date($before), self::date($after)];
        if ($one === null || $other === null) {
            return null;
        }
        $apart = abs((int) $one->format('z') - (int) $other->format('z'));
        $apart = min($apart, 365 - $apart);

        return $apart > self::DAYS
            ? "The dates are $apart days of the year apart ({$one->format('j F')}, {$other->format('j F')}): vegetation differs by season."
            : null;
    }

    private static function sun(Image $before, Image $after): ?string
    {
        $apart = [];
        foreach (['elevation' => 90, 'azimuth' => 180] as $what => $half) {
            [$one, $other] = [$before->spec()->properties["view:sun_$what"] ?? null, $after->spec()->properties["view:sun_$what"] ?? null];
            if (is_numeric($one) && is_numeric($other)) {
                $by = abs($one - $other);
                $by = $half === 180 ? min($by, 360 - $by) : $by;
                if ($by > self::SUN) {
                    $apart[] = sprintf('%s by %.0f°', $what === 'elevation' ? 'in height' : 'in direction', $by);
                }
            }
        }

        return $apart === [] ? null : 'The sun positions differ by '.implode(' and ', $apart).': shadows differ.';
    }

    private static function lies(TwoDates $dates): ?string
    {
        $shift = self::shift($dates);
        if ($shift === null || hypot(...$shift) < self::SHIFT) {
            return null;
        }

        return sprintf(
            'The later date is shifted from the earlier by %.1f pixels to the %s and %.1f %s: co-register them first.',
            abs($shift[0]),
            $shift[0] < 0 ? 'left' : 'right',
            abs($shift[1]),
            $shift[1] < 0 ? 'up' : 'down',
        );
    }

    /**
     * How far the later date lies beside the earlier, in pixels to the right and down: the median of what squares all over the image tell, of the first
     * band that both share.
     *
     * @return array{float, float}|null null where no squares match well enough to tell
     */
    public static function shift(TwoDates $dates): ?array
    {
        $grid = $dates->before->spec()->grid;
        $n = self::SIDE;
        if ($grid->width < $n || $grid->height < $n) {
            return null;
        }
        [$before, $after] = $dates->bands[intdiv(count($dates->bands), 2)];
        $found = [[], []];
        $across = min(self::SQUARES, intdiv($grid->width, $n));
        $down = min(self::SQUARES, intdiv($grid->height, $n));
        for ($k = 0; $k < $across * $down; $k++) {
            $window = new Window(
                (int) round(($k % $across + 0.5) / $across * $grid->width - 0.5 * $n),
                (int) round((intdiv($k, $across) + 0.5) / $down * $grid->height - 0.5 * $n),
                $n,
                $n,
            );
            $squares = [Values::of($dates->before, $before, $window), Values::of($dates->after, $after, $window)];
            if (is_nan((float) array_sum($squares[0]) + array_sum($squares[1]))) {
                continue;
            }
            $shift = PhaseCorrelation::shift($squares[0], $squares[1], $n);
            if ($shift !== null && $shift[2] >= self::MATCH) {
                $found[0][] = $shift[0];
                $found[1][] = $shift[1];
            }
        }
        if (count($found[0]) < 3) {
            return null;
        }
        sort($found[0]);
        sort($found[1]);
        $middle = intdiv(count($found[0]), 2);

        return [$found[0][$middle], $found[1][$middle]];
    }

    private static function date(Image $image): ?\DateTimeImmutable
    {
        $told = $image->spec()->properties['datetime'] ?? null;

        return is_string($told) && $told !== '' ? (date_create_immutable($told) ?: null) : null;
    }
}
