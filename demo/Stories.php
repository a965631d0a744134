<?php

namespace Chorometra\Demo;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\Values;

/** Maps of the made-up scenes against what truly lies there. */
final class Stories
{
    /** Green at either date. */
    private const GREEN = [Cover::Marsh, Cover::Pasture, Cover::Crop, Cover::Wood];

    /**
     * Share of the map's pixels that have the right class.
     *
     * @param  array<string, list<string>>  $groups  covers of the truth by class of the map; what is in none is of the last
     */
    public static function accuracy(string $map, string $truth, array $groups): float
    {
        $image = new GeoTiffImage($map);
        $expected = self::expected($image, $groups);
        $nodata = (int) $image->spec()->nodata;
        $right = $of = 0;
        foreach (self::codes($truth) as $i => $cover) {
            $code = ($codes ??= self::codes($map))[$i];
            $of += $code === $nodata ? 0 : 1;
            $right += $code !== $nodata && $code === $expected[$cover] ? 1 : 0;
        }

        return $right / max(1, $of);
    }

    /**
     * Of each class the smaller of two shares: of its pixels in truth those that the map found, and of its pixels in the map those that are right.
     *
     * @param  array<string, list<string>>  $groups
     * @return array<string, float>
     */
    public static function classes(string $map, string $truth, array $groups): array
    {
        $image = new GeoTiffImage($map);
        $expected = self::expected($image, $groups);
        $codes = self::codes($map);
        $right = $found = $true = array_fill_keys(array_values(array_filter($expected)), 0);
        foreach (self::codes($truth) as $i => $cover) {
            $code = $expected[$cover];
            if ($code !== null && $codes[$i] !== (int) $image->spec()->nodata) {
                $true[$code]++;
                $right[$code] += $codes[$i] === $code ? 1 : 0;
                $found[$codes[$i]] = ($found[$codes[$i]] ?? 0) + 1;
            }
        }
        $shares = [];
        foreach ($true as $code => $number) {
            $shares[(string) $image->spec()->legend?->name($code)] = min($right[$code] / max(1, $number), $right[$code] / max(1, $found[$code]));
        }

        return $shares;
    }

    /**
     * @param  array<string, list<string>>  $groups
     * @return array<int, int|null> the code that each cover has in a map
     */
    private static function expected(GeoTiffImage $image, array $groups): array
    {
        $expected = [];
        foreach (Cover::cases() as $cover) {
            $class = (string) array_key_last($groups);
            foreach ($groups as $name => $covers) {
                $class = in_array($cover->label(), $covers, true) ? $name : $class;
            }
            $expected[$cover->value] = $image->spec()->legend?->codeOf($class);
        }

        return $expected;
    }

    /**
     * Where green was lost, within polygons: what map and truth have in common of all that either has, and how far their borders lie apart.
     *
     * @return array{iou: float, border: float, truth: int, map: int, patches: int} distances in pixels, the mean both ways
     */
    public static function loss(string $map, string $class, string $before, string $after, string $area): array
    {
        $image = new GeoTiffImage($map);
        $grid = $image->spec()->grid;
        $code = $image->spec()->legend?->codeOf($class);
        [$found, $was, $is] = array_map(self::codes(...), [$map, $before, $after]);
        $green = array_column(self::GREEN, 'value');
        $mask = new PolygonMask(Vectors::read($area)->polygonsOn($grid, 'area'), $grid);
        $ours = $theirs = [];
        foreach ($mask->runs(new Window(0, 0, $grid->width, $grid->height)) as $row => $runs) {
            foreach ($runs as [$from, $to]) {
                for ($i = $row * $grid->width + $from; $i < $row * $grid->width + $to; $i++) {
                    if ($found[$i] === $code) {
                        $ours[$i] = true;
                    }
                    if (in_array($was[$i], $green, true) && ! in_array($is[$i], $green, true)) {
                        $theirs[$i] = true;
                    }
                }
            }
        }
        $common = count(array_intersect_key($ours, $theirs));
        [$one, $other] = [self::border($ours, $grid->width), self::border($theirs, $grid->width)];

        return [
            'iou' => $common / max(1, count($ours) + count($theirs) - $common),
            'border' => 0.5 * (self::apart($one, $other) + self::apart($other, $one)),
            'truth' => count($theirs),
            'map' => count($ours),
            'patches' => self::patches($ours, $grid->width),
        ];
    }

    /** @return list<int> */
    private static function codes(string $path): array
    {
        $image = new GeoTiffImage($path);
        $grid = $image->spec()->grid;

        return Values::codes($image, new Window(0, 0, $grid->width, $grid->height));
    }

    /**
     * Pixels beside others.
     *
     * @param  array<int, true>  $pixels
     * @return list<array{int, int}>
     */
    private static function border(array $pixels, int $width): array
    {
        $border = [];
        foreach (array_keys($pixels) as $i) {
            if (! isset($pixels[$i - 1], $pixels[$i + 1], $pixels[$i - $width], $pixels[$i + $width])) {
                $border[] = [$i % $width, intdiv($i, $width)];
            }
        }

        return $border;
    }

    /**
     * @param  list<array{int, int}>  $from
     * @param  list<array{int, int}>  $to
     */
    private static function apart(array $from, array $to): float
    {
        $sum = 0.0;
        foreach ($from as [$x, $y]) {
            $least = INF;
            foreach ($to as [$u, $v]) {
                $least = min($least, ($x - $u) ** 2 + ($y - $v) ** 2);
            }
            $sum += sqrt($least);
        }

        return $from === [] ? INF : $sum / count($from);
    }

    /** @param  array<int, true>  $pixels */
    private static function patches(array $pixels, int $width): int
    {
        $patches = 0;
        while ($pixels !== []) {
            $patches++;
            $open = [array_key_first($pixels)];
            unset($pixels[$open[0]]);
            while ($open !== []) {
                $i = array_pop($open);
                foreach ([$i - 1, $i + 1, $i - $width, $i + $width] as $beside) {
                    if (isset($pixels[$beside])) {
                        unset($pixels[$beside]);
                        $open[] = $beside;
                    }
                }
            }
        }

        return $patches;
    }
}
