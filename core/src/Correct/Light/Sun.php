<?php

namespace Chorometra\Core\Correct\Light;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\Call;

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

    /**
     * Height above the horizon in degrees: as set, else from the metadata.
     *
     * @throws Problem where neither setting nor metadata tell it, or the sun is below the horizon
     */
    public static function elevation(Call $call, RasterSpec $spec, string $name): float
    {
        $set = $call->number('sun-elevation');
        if (! is_nan($set)) {
            return $set;
        }
        $known = $spec->properties['view:sun_elevation'] ?? null;
        if (! is_numeric($known)) {
            throw Problem::input("$name has no sun elevation in its metadata; set it by hand (sun-elevation).", 'sun-elevation');
        }
        if ((float) $known <= 0) {
            throw Problem::input("The sun elevation of $name is {$known}°: the sun was below the horizon, so reflectance is undefined.", 'sun-elevation');
        }

        return (float) $known;
    }

    /**
     * Direction from north over east in degrees: as set, else from the metadata.
     *
     * @throws Problem where neither setting nor metadata tell it
     */
    public static function azimuth(Call $call, RasterSpec $spec, string $name): float
    {
        $set = $call->number('sun-azimuth');
        $known = is_nan($set) ? $spec->properties['view:sun_azimuth'] ?? null : $set;

        return is_numeric($known) ? (float) $known
            : throw Problem::input("$name has no sun azimuth in its metadata; set it by hand (sun-azimuth).", 'sun-azimuth');
    }
}
