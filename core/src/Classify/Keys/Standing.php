<?php

namespace Chorometra\Core\Classify\Keys;

/**
 * How a limit stands on other values than those that it was chosen on: whether it lies in a valley still, parts about the same share, and
 * whether the values moved as a whole. Another limit is proposed where one is seen, and never taken. The thresholds are common practice, no source.
 */
final readonly class Standing
{
    /** A valley is no higher than this part of the lower of the peaks beside it. */
    private const VALLEY = 0.5;

    private const SHARE = 0.15;

    /** Of the distance between the quartiles. */
    private const MOVED = 0.25;

    /**
     * @param  list<string>  $said  what is to be thought about, in sentences
     * @param  float|null  $proposed  another limit
     */
    private function __construct(public array $said, public ?float $proposed) {}

    public static function of(float $limit, MeasureHistogram $then, MeasureHistogram $now): self
    {
        $said = [];
        $shift = $now->quartiles[1] - $then->quartiles[1];
        $apart = $then->quartiles[2] - $then->quartiles[0];
        $moves = array_map(fn (float $after, float $before): float => $after - $before, $now->quartiles, $then->quartiles);
        $hasMoved = abs($shift) > 0.0 && min(array_map(fn (float $move): float => $move * ($shift <=> 0.0), $moves)) > self::MOVED * $apart;
        if ($hasMoved) {
            $said[] = sprintf('the values as a whole are %.3g %s', abs($shift), $shift > 0.0 ? 'higher' : 'lower');
        }
        if (abs($now->yes - $then->yes) > self::SHARE) {
            $said[] = sprintf('“yes” is now the answer for %.0f %%, before for %.0f %%', 100 * $now->yes, 100 * $then->yes);
        }
        if (self::isValley($then, $limit) && ! self::isValley($now, $limit)) {
            $said[] = 'the limit is no longer in a valley of the histogram';
        }
        if ($said === []) {
            return new self([], null);
        }
        $valleys = array_filter(array_map($now->middle(...), array_keys($now->counts)), fn (float $at): bool => self::isValley($now, $at));
        $expected = $hasMoved ? $limit + $shift : $limit;
        usort($valleys, fn (float $a, float $b): int => abs($a - $expected) <=> abs($b - $expected));
        $proposed = $valleys === [] ? ($hasMoved ? $expected : null) : self::lowest($now, $valleys[0]);

        return new self($said, $proposed);
    }

    /** Whether few lie at a value, and many on either side of it. */
    public static function isValley(MeasureHistogram $spread, float $at): bool
    {
        $smooth = self::smooth($spread->counts);
        $bin = self::bin($spread, $at);
        if ($bin === null || $bin === 0 || $bin === count($smooth) - 1) {
            return false;
        }
        $peak = min(max(array_slice($smooth, 0, $bin)), max(array_slice($smooth, $bin + 1)));

        return $peak > 0.0 && ($smooth[$bin] ?? INF) <= self::VALLEY * $peak;
    }

    /** The middle of the lowest of the valley that a value lies in. */
    private static function lowest(MeasureHistogram $spread, float $at): float
    {
        $smooth = self::smooth($spread->counts);
        $bin = (int) self::bin($spread, $at);
        for (; $bin > 0 && ($smooth[$bin - 1] ?? INF) < ($smooth[$bin] ?? INF); $bin--);
        for (; ($smooth[$bin + 1] ?? INF) < ($smooth[$bin] ?? INF); $bin++);
        // of a flat bottom the middle
        [$from, $to] = [$bin, $bin];
        $least = $smooth[$bin] ?? 0.0;
        while ($from > 0 && $smooth[$from - 1] <= $least) {
            $from--;
        }
        while ($to + 1 < count($smooth) && $smooth[$to + 1] <= $least) {
            $to++;
        }

        return 0.5 * ($spread->middle($from) + $spread->middle($to));
    }

    private static function bin(MeasureHistogram $spread, float $at): ?int
    {
        if ($at < $spread->minimum || $at > $spread->maximum || $spread->maximum <= $spread->minimum) {
            return null;
        }

        return min(count($spread->counts) - 1, (int) (($at - $spread->minimum) / ($spread->maximum - $spread->minimum) * count($spread->counts)));
    }

    /**
     * Means of five, twice.
     *
     * @param  list<float>  $counts
     * @return list<float>
     */
    private static function smooth(array $counts): array
    {
        for ($round = 0; $round < 2; $round++) {
            $counts = array_map(function (int $bin) use ($counts): float {
                $some = array_slice($counts, max(0, $bin - 2), $bin + 3 - max(0, $bin - 2));

                return array_sum($some) / count($some);
            }, array_keys($counts));
        }

        return $counts;
    }
}
