<?php

namespace Chorometra\Core\Geo;

use Chorometra\Core\Problem;

/** Which grid an image gets in another CRS or with other pixels. */
final class TargetGrid
{
    /** Points along each side of the image, and across it, that its extent is taken from. */
    private const POINTS = 21;

    private const MOST_PIXELS = 1 << 33;

    /** How many times the pixels of its source a result may have, where nobody said how large it is to be. */
    private const MOST_TIMES = 100;

    /**
     * The smallest grid with its corners at whole multiples of the pixel that holds the image.
     *
     * @param  float|null  $pixel  in units of the CRS; when null, as large as the image's pixels at its middle
     * @param  string  $name  of the image, for messages
     *
     * @throws Problem where the CRS is not known, the image extends beyond its area, or pixels of that size are too many
     */
    public static function grid(Grid $source, ?int $epsg, ?float $pixel, string $name): Grid
    {
        $same = $epsg === null || $epsg === $source->epsg;
        $from = $same ? new Geographic() : Crs::needGrid($source, $name, 'image');
        $to = $same
            ? new Geographic()
            : Crs::of($epsg) ?? throw Problem::call("EPSG:$epsg is not known here; UTM on WGS 84 is EPSG:326zz north and 327zz south.", 'crs');
        $place = fn (float $col, float $row): array => $to->forward(...$from->inverse(...$source->toMap($col, $row)));
        $left = $bottom = INF;
        $right = $top = -INF;
        $edge = self::POINTS - 1;
        for ($i = 0; $i <= $edge; $i++) {
            for ($j = 0; $j <= $edge; $j++) {
                [$x, $y] = $place(($source->width * $i) / $edge, ($source->height * $j) / $edge);
                if (! is_finite($x) || ! is_finite($y)) {
                    throw Problem::input(
                        "$name extends beyond the area of EPSG:$epsg: use a CRS made for that region, or cut the image first.",
                        'crs',
                    );
                }
                $left = min($left, $x);
                $right = max($right, $x);
                $bottom = min($bottom, $y);
                $top = max($top, $y);
            }
        }
        $isTold = $pixel !== null;
        $pixel ??= self::pixel($source, $place, $same);
        // a hair inside, so that an image that fits does not get a row more
        $x0 = floor($left / $pixel + 1e-6);
        $x1 = ceil($right / $pixel - 1e-6);
        $y0 = floor($bottom / $pixel + 1e-6);
        $y1 = ceil($top / $pixel - 1e-6);
        if (($x1 - $x0) * ($y1 - $y0) > self::MOST_PIXELS) {
            throw Problem::call(sprintf('Pixels of %g would give %.0f x %.0f pixels: choose a larger size.', $pixel, $x1 - $x0, $y1 - $y0), 'pixel-size');
        }

        if (! $isTold) {
            self::bound(max(1.0, $x1 - $x0) * max(1.0, $y1 - $y0), $source, $name);
        }

        return new Grid(
            (int) max(1, $x1 - $x0),
            (int) max(1, $y1 - $y0),
            [$x0 * $pixel, $pixel, 0.0, $y1 * $pixel, 0.0, -$pixel],
            $same ? $source->epsg : $epsg,
            $same ? $source->geoKeys : null,
        );
    }

    /**
     * Refuses a result that is far larger than its source, as a single wrong control point makes it.
     *
     * @throws Problem where pixels would become too many
     */
    public static function bound(float $pixels, Grid $source, string $name): void
    {
        if ($pixels > self::MOST_TIMES * max(10_000.0, $source->width * $source->height)) {
            throw Problem::call(
                sprintf(
                    'The result would have %s pixels, more than %d times those of %s: are coordinates wrong? If this is intended, set the pixel size.',
                    number_format($pixels),
                    self::MOST_TIMES,
                    $name,
                ),
                'pixel-size',
            );
        }
    }

    /** @param  \Closure(float, float): array{float, float}  $place */
    private static function pixel(Grid $source, \Closure $place, bool $same): float
    {
        $own = sqrt($source->pixelArea());
        if ($same) {
            return $own;
        }
        [$col, $row] = [0.5 * $source->width, 0.5 * $source->height];
        [$a, $b, $c, $d] = [$place($col - 0.5, $row), $place($col + 0.5, $row), $place($col, $row - 0.5), $place($col, $row + 0.5)];
        $size = sqrt(abs(($b[0] - $a[0]) * ($d[1] - $c[1]) - ($b[1] - $a[1]) * ($d[0] - $c[0])));
        // projections stretch by parts of a per cent: whoever has pixels of 20 m wants 20 m
        if (abs($size / $own - 1) < 0.02) {
            return $own;
        }
        $step = 10 ** (floor(log10($size)) - 3);

        return round($size / $step) * $step;
    }
}
