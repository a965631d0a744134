<?php

namespace Chorometra\Demo;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Work\Context;

/** A photo of the fish pens from an aeroplane, true colour at 0.5 m. */
final class AirPhoto
{
    private const PIXEL = 0.5;

    private const EPSG = 25832;

    public static function write(string $path, CatalogueScene $scene, Context $context): void
    {
        $place = OpticalScene::grid(10)->crop($scene->window);
        $size = (int) round(10 / self::PIXEL);
        $grid = new Grid(
            $place->width * $size,
            $place->height * $size,
            [$place->transform[0], self::PIXEL, 0.0, $place->transform[3], 0.0, -self::PIXEL],
            self::EPSG,
        );
        $picture = self::picture($scene, $grid->width, $grid->height);
        $spec = new RasterSpec($grid, [new Band, new Band, new Band], SampleType::UInt8, null);
        (new Production(['result' => ['path' => $path, 'spec' => $spec]], function (Window $window) use ($picture): array {
            $planes = [[], [], []];
            for ($y = $window->row; $y < $window->row + $window->height; $y++) {
                for ($x = 0; $x < $window->width; $x++) {
                    $rgb = (int) imagecolorat($picture, $x, $y);
                    $planes[0][] = ($rgb >> 16) & 255;
                    $planes[1][] = ($rgb >> 8) & 255;
                    $planes[2][] = $rgb & 255;
                }
            }

            return ['result' => $planes];
        }, $context, 3))->run([], 'writing a photo');
        @unlink(preg_replace('/\.tif$/', '.stac.json', $path) ?? '');
    }

    /** Water with its waves, rings of pens with their nets, and a boat. */
    public static function picture(CatalogueScene $scene, int $width, int $height): \GdImage
    {
        $picture = imagecreatetruecolor(max(1, $width), max(1, $height));
        assert($picture !== false);
        $scale = $width / $scene->window->width;
        $waves = Noise::field(
            $width,
            $height,
            [(int) max(2, 6 * $scale) => 0.4, (int) max(2, $scale) => 0.35, (int) max(2, 0.3 * $scale) => 0.25],
            $scene->seed,
        );
        for ($y = 0, $k = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++, $k++) {
                $w = $waves[$k] - 0.5;
                imagesetpixel($picture, $x, $y, ((int) (44 + 26 * $w) << 16) | ((int) (78 + 34 * $w) << 8) | (int) (92 + 36 * $w));
            }
        }
        imageantialias($picture, true);
        $colour = fn (int $rgb): int => (int) imagecolorallocate($picture, ($rgb >> 16) & 255, ($rgb >> 8) & 255, $rgb & 255);
        foreach (Landscape::penCentres() as $i => [$cx, $cy]) {
            $x = (int) (($cx - $scene->window->col) * $scale);
            $y = (int) (($cy - $scene->window->row) * $scale);
            $r = (int) (9.0 * $scale);
            imagefilledellipse($picture, $x, $y, $r, $r, $colour(0x22383F));
            for ($ring = 0; $ring < max(1, (int) (0.22 * $scale)); $ring++) {
                imageellipse($picture, $x, $y, $r - 2 * $ring, $r - 2 * $ring, $colour(0xC9C4B8));
            }
            if ($i % 4 === 1) {
                imagefilledellipse($picture, $x + $r, $y + (int) (0.2 * $r), (int) (1.6 * $scale), max(2, (int) (0.5 * $scale)), $colour(0xE8E4DC));
            }
        }

        return $picture;
    }
}
