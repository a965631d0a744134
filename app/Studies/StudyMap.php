<?php

namespace App\Studies;

use App\Models\Item;
use App\Models\Study;
use Chorometra\Core\Format\GeoTiff\GeoTiffWriter;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\GridMapping;
use Chorometra\Core\Geo\TargetGrid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Warped;

/** Where things lie in a study: its CRS, and images of other ones shown in place. */
final class StudyMap
{
    /** The study takes over the CRS of its first image; one without a code gives the UTM zone that it lies in. */
    public static function crs(Study $study, Grid $grid): ?int
    {
        if ($study->epsg !== null) {
            return $study->epsg;
        }
        $epsg = Crs::knows($grid->epsg) ? $grid->epsg : null;
        $projection = Crs::ofGrid($grid);
        if ($epsg === null && $projection !== null) {
            [$longitude, $latitude] = $projection->inverse(...$grid->toMap($grid->width / 2, $grid->height / 2));
            $epsg = ($latitude < 0 ? 32700 : 32600) + max(1, min(60, (int) floor($longitude / 6) + 31));
        }
        if ($epsg !== null) {
            $study->update(['epsg' => $epsg]);
        }

        return $epsg;
    }

    /**
     * How an image on another CRS, or a turned one, is shown: the grid that it has in the study's, and its levels. Null where it is shown as it is.
     *
     * @return array{width: int, height: int, transform: list<float>, epsg: int, levels: list<array{int, int}>}|null
     */
    public static function of(Image $image, ?int $epsg): ?array
    {
        $own = $image->spec()->grid;
        $isTurned = $own->transform[2] !== 0.0 || $own->transform[4] !== 0.0;
        if ($epsg === null || ($own->epsg === $epsg && ! $isTurned) || ! $own->isReferenced() || Crs::ofGrid($own) === null) {
            return null;
        }
        try {
            $grid = TargetGrid::grid($own, $epsg, null, $image->name());
        } catch (Problem) {
            // so far from the study that its CRS can't show it
            return null;
        }
        $levels = [[$grid->width, $grid->height]];
        while (max(end($levels)) > GeoTiffWriter::TILE) {
            [$width, $height] = end($levels);
            $levels[] = [intdiv($width + 1, 2), intdiv($height + 1, 2)];
        }

        return ['width' => $grid->width, 'height' => $grid->height, 'transform' => $grid->transform, 'epsg' => $epsg, 'levels' => $levels];
    }

    /** The grid on which an item is shown. */
    public static function grid(Item $item): Grid
    {
        $placed = $item->meta['placed'] ?? null;

        return $placed === null ? $item->image()->spec()->grid : self::placed($placed);
    }

    /** @param  array<string, mixed>  $placed */
    private static function placed(array $placed): Grid
    {
        [$a, $b, $c, $d, $e, $f] = array_map(floatval(...), $placed['transform']);

        return new Grid($placed['width'], $placed['height'], [$a, $b, $c, $d, $e, $f], $placed['epsg']);
    }

    /**
     * A level of an image as it is shown: warped where its CRS is another, read from the overview that is as fine.
     *
     * @param  array<string, mixed>  $placed
     */
    public static function shown(Image $image, array $placed, int $level): Image
    {
        [$width, $height] = $placed['levels'][$level];
        $grid = self::placed($placed)->resized($width, $height);
        [$across] = (new GridMapping($grid, $image->spec()->grid, $image->name()))->footprint();
        $source = max(0, min(count($image->levels()) - 1, (int) floor(log($across, 2) + 0.3)));

        return new Warped($image, $grid, Resampling::Nearest, $source);
    }

    /**
     * Pixel positions of map coordinates of the study in an item's own image.
     *
     * @return array{float, float}
     */
    public static function pixel(Item $item, Image $image, float $x, float $y): array
    {
        $own = $image->spec()->grid;
        if (! isset($item->meta['placed'])) {
            return $own->toPixel($x, $y);
        }
        $shown = self::grid($item);

        return (new GridMapping($shown, $own, $image->name()))->at(...$shown->toPixel($x, $y));
    }
}
