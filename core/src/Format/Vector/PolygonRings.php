<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/** What can be said of a closed ring of places. */
final class PolygonRings
{
    /** @param  list<array{float, float}>  $ring */
    public static function area(array $ring): float
    {
        $sum = 0.0;
        for ($i = 1, $n = count($ring); $i < $n; $i++) {
            $sum += ($ring[$i - 1][0] - $ring[0][0]) * ($ring[$i][1] - $ring[0][1]) - ($ring[$i][0] - $ring[0][0]) * ($ring[$i - 1][1] - $ring[0][1]);
        }

        return $sum / 2;
    }

    /** @param  list<array{float, float}>  $ring */
    public static function holds(array $ring, float $x, float $y): bool
    {
        $inside = false;
        for ($i = 1, $n = count($ring); $i < $n; $i++) {
            [$ax, $ay] = $ring[$i - 1];
            [$bx, $by] = $ring[$i];
            if (($ay > $y) !== ($by > $y) && $x < $ax + ($bx - $ax) * ($y - $ay) / ($by - $ay)) {
                $inside = ! $inside;
            }
        }

        return $inside;
    }

    /**
     * Refuses a ring that crosses itself, or that holds what is no number.
     *
     * @param  list<array{float, float}>  $ring  closed
     *
     * @throws Problem where a ring crosses itself, or lies nowhere in the CRS of the image
     */
    public static function check(array $ring, string $name, string $about): void
    {
        foreach ($ring as $place) {
            if (! is_finite($place[0]) || ! is_finite($place[1])) {
                throw Problem::input("$name has places that can't be shown in the CRS of the image.", $about);
            }
        }
        $crossing = Crossing::of($ring);
        if ($crossing !== null) {
            throw Problem::input(sprintf('A ring in %s crosses itself near %.2f, %.2f: correct it there first.', $name, ...$crossing), $about);
        }
    }
}
