<?php

namespace Chorometra\Demo;

use Chorometra\Core\Work\Files;

/** Small pictures of the scenes in the archive, from every eighth pixel of the landscape. */
final class Thumbnails
{
    private const STEP = 8;

    public static function make(string $folder, Landscape $landscape, bool $later): void
    {
        Files::folder($folder);
        $n = intdiv(Landscape::SIZE, self::STEP);
        $cover = $texture = $field = $height = [];
        for ($y = 0; $y < $n; $y++) {
            for ($x = 0; $x < $n; $x++) {
                $k = $y * self::STEP * Landscape::SIZE + $x * self::STEP;
                $cover[] = $landscape->cover[$k];
                $texture[] = $landscape->texture[$k];
                $field[] = $landscape->field[$k];
                $height[] = $landscape->height[$k];
            }
        }
        foreach (Catalogue::scenes() as $scene) {
            if ($scene->later === $later) {
                self::write("$folder/$scene->id.png", $scene, $cover, $texture, $field, $height, $n);
            }
        }
    }

    /**
     * @param  list<int>  $cover
     * @param  list<float>  $texture
     * @param  list<float>  $field
     * @param  list<float>  $height
     */
    private static function write(string $path, CatalogueScene $scene, array $cover, array $texture, array $field, array $height, int $n): void
    {
        if ($scene->collection === 'hollin-photos') {
            $picture = AirPhoto::picture($scene, 160, 120);
        } else {
            $window = $scene->window;
            [$col, $row] = [intdiv($window->col, self::STEP), intdiv($window->row, self::STEP)];
            [$wide, $high] = [intdiv($window->width, self::STEP), intdiv($window->height, self::STEP)];
            $clouds = Clouds::over($n, 10.0 * self::STEP, $scene->clouds, $scene->sunElevation, $scene->sunAzimuth, $scene->seed + 77);
            $picture = imagecreatetruecolor(max(1, $wide), max(1, $high));
            assert($picture !== false);
            $season = $scene->season();
            for ($y = 0; $y < $high; $y++) {
                for ($x = 0; $x < $wide; $x++) {
                    $k = ($row + $y) * $n + $col + $x;
                    $kind = Cover::from(max(1, $cover[$k]));
                    $rgb = 0;
                    if ($scene->collection === 'orvane-heights') {
                        $rgb = (int) max(0, min(255, 40 + 4.0 * $height[$k])) * 0x10101;
                    } elseif (str_starts_with($scene->collection, 'cassavel')) {
                        $grey = (int) max(0, min(255, 255 * (Radar::decibel($kind, false) + 26) / 26 + 70 * ($texture[$k] - 0.5)));
                        $rgb = $grey * 0x10101;
                    } else {
                        foreach ([2, 1, 0] as $band) {
                            $value = $kind->spectrum()[$band];
                            $value = $kind->grows() ? $season * $value + (1 - $season) * 0.5 * ($value + Cover::Soil->spectrum()[$band]) : $value;
                            $value *= (0.8 + 0.4 * $texture[$k]) * (0.85 + 0.3 * $field[$k]);
                            if ($clouds !== null) {
                                $value *= 1 - 0.5 * $clouds->shadow[$k];
                                $value += $clouds->density[$k] * (0.24 - $value);
                            }
                            $rgb = ($rgb << 8) | (int) max(0, min(255, 255 * sqrt($value / 0.24)));
                        }
                    }
                    imagesetpixel($picture, $x, $y, $rgb);
                }
            }
        }
        imagepng($picture, "$path.part");
        rename("$path.part", $path);
    }
}
