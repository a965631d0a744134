<?php

namespace Chorometra\Core\Derive\Sharpening;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Work\Context;

/**
 * What each method is worth on these images: both are made coarser by the ratio of their pixels, sharpened, and compared with the bands as they are.
 *
 * Source: Wald, Ranchin & Mangolini 1997, Photogrammetric Engineering & Remote Sensing 63:691–699 (from memory).
 */
final class Wald
{
    /** Squares of the coarse image that are looked at, each way, and their side in pixels. */
    private const SQUARES = 3;

    private const SIDE = 160;

    /** Values held at once, over all bands. */
    private const MOST_VALUES = 2 << 20;

    /** Coarse pixels around a square, so that its edge is not the edge of what is known. */
    private const MARGIN = 4;

    private const FEWEST = 100;

    /**
     * @param  list<int>  $bands
     * @param  Window  $reach  of the coarse image, where both have something
     * @param  float  $ratio  coarse pixels by fine ones
     * @return array{pixels: int, methods: array<string, array{ergas: float, angle: float, q: list<float>, rmse: list<float>}>}|null null where there
     *   is too little to tell by
     */
    public static function of(
        Image $pan,
        int $panBand,
        Image $image,
        array $bands,
        Window $reach,
        Resampling $resampling,
        float $ratio,
        Context $context,
    ): ?array {
        $squares = self::squares($reach, 2 * count($bands) + 2);
        $planes = array_fill(0, 2 * count($bands) + 2, []);
        foreach ($squares as $k => $square) {
            $context->report($k / count($squares), 'comparing the methods');
            foreach (self::square($pan, $panBand, $image, $bands, $square, $resampling, $ratio) as $b => $values) {
                array_push($planes[$b], ...$values);
            }
        }
        $count = count($planes[0]);
        if ($count < self::FEWEST) {
            return null;
        }
        $given = array_slice($planes, 0, Injection::FIRST + count($bands));
        $wanted = array_slice($planes, Injection::FIRST + count($bands));
        $moments = Comoments::of($given, $count);
        $methods = ['none' => Quality::of(array_slice($given, Injection::FIRST), $wanted, $count, 1.0 / $ratio)];
        foreach (Injection::METHODS as $method) {
            $methods[$method] = self::finite(Injection::of($method, $moments)($given, $count), $wanted, $count, 1.0 / $ratio);
        }

        return ['pixels' => $count, 'methods' => $methods];
    }

    /**
     * Of pixels that a method gives something for.
     *
     * @param  list<list<float>>  $made
     * @param  list<list<float>>  $wanted
     * @return array{ergas: float, angle: float, q: list<float>, rmse: list<float>}
     */
    private static function finite(array $made, array $wanted, int $count, float $ratio): array
    {
        $kept = self::complete([...$made, ...$wanted], $count);

        return Quality::of(array_slice($kept, 0, count($made)), array_slice($kept, count($made)), count($kept[0]), $ratio);
    }

    /**
     * Squares spread evenly.
     *
     * @return list<Window>
     */
    private static function squares(Window $reach, int $planes): array
    {
        $side = (int) min(self::SIDE, sqrt(self::MOST_VALUES / $planes / self::SQUARES ** 2));
        $along = fn (int $from, int $length): array => $length <= $side * self::SQUARES
            ? [[$from, $length]]
            : array_map(fn (int $k): array => [$from + intdiv($k * ($length - $side), self::SQUARES - 1), $side], range(0, self::SQUARES - 1));
        $windows = [];
        foreach ($along($reach->row, $reach->height) as [$row, $height]) {
            foreach ($along($reach->col, $reach->width) as [$col, $width]) {
                $windows[] = new Window($col, $row, $width, $height);
            }
        }

        return $windows;
    }

    /**
     * Of a window of the coarse image: both made coarser and brought back, and the bands as they are; pixels that have all of them.
     *
     * @param  list<int>  $bands
     * @return list<list<float>>
     */
    private static function square(Image $pan, int $panBand, Image $image, array $bands, Window $window, Resampling $resampling, float $ratio): array
    {
        $own = $image->spec()->grid->crop($window);
        $coarse = self::coarser($own, $ratio);
        $whole = new Window(0, 0, $own->width, $own->height);
        $fine = new Warped($pan, $own, Resampling::Average);
        $low = new Warped(new Warped($pan, $coarse, Resampling::Average), $own, $resampling);
        $colour = new Warped(new Warped($image, $coarse, Resampling::Average), $own, $resampling);

        return self::complete(
            [
                $fine->values($panBand, $whole),
                $low->values($panBand, $whole),
                ...array_map(fn (int $band): array => $colour->values($band, $whole), $bands),
                ...array_map(fn (int $band): array => Values::of($image, $band, $window), $bands),
            ],
            $whole->pixels(),
        );
    }

    /** A grid of pixels $ratio times as large, over a grid and a little more. */
    private static function coarser(Grid $grid, float $ratio): Grid
    {
        [$x, $y] = $grid->toMap(-self::MARGIN * $ratio, -self::MARGIN * $ratio);
        $t = $grid->transform;

        return new Grid(
            (int) ceil($grid->width / $ratio) + 2 * self::MARGIN,
            (int) ceil($grid->height / $ratio) + 2 * self::MARGIN,
            [$x, $t[1] * $ratio, $t[2] * $ratio, $y, $t[4] * $ratio, $t[5] * $ratio],
            $grid->epsg,
            $grid->geoKeys,
        );
    }

    /**
     * Pixels that have a value in all planes.
     *
     * @param  list<list<float>>  $planes
     * @return list<list<float>>
     */
    private static function complete(array $planes, int $count): array
    {
        $kept = array_fill(0, count($planes), []);
        for ($i = 0; $i < $count; $i++) {
            $isWhole = true;
            foreach ($planes as $values) {
                if ($values[$i] !== $values[$i]) {
                    $isWhole = false;
                    break;
                }
            }
            if ($isWhole) {
                foreach ($planes as $k => $values) {
                    $kept[$k][] = $values[$i];
                }
            }
        }

        return $kept;
    }
}
