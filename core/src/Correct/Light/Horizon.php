<?php

namespace Chorometra\Core\Correct\Light;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Work\Context;

/**
 * Where other ground stands between a pixel and the sun. A front goes over the heights from the sun's side: it falls with the sun's height
 * above the horizon, is lifted by what stands above it, and throws its shadow on what lies below.
 *
 * Source: Corripio 2003, International Journal of Geographical Information Science 17:1–23, for shadows by a plane swept along the sun's
 * direction (from memory). Heights between pixels are taken from the two beside.
 */
final class Horizon
{
    private function __construct(private readonly string $path, private readonly int $width) {}

    /**
     * Sweeps over the heights once; the shadows lie in a temporary file.
     *
     * @param  float  $sunElevation  degrees above the horizon
     * @param  float  $sunAzimuth  degrees from north over east
     *
     * @throws Problem where no temporary file can be written
     */
    public static function of(Image $heights, float $sunElevation, float $sunAzimuth, Context $context): self
    {
        $spec = $heights->spec();
        [$width, $height] = [$spec->grid->width, $spec->grid->height];
        $path = sprintf('%s/shadows-%dx%d-%s', $context->folder(), $width, $height, md5("$sunElevation/$sunAzimuth"));
        $made = new self($path, $width);
        if (file_exists($path)) {
            return $made;
        }
        $file = fopen("$path.part", 'w') ?: throw Problem::computation("No temporary file can be written at $path.");
        [$across, $down] = self::towards($spec->grid, $sunAzimuth, 0.5 * $height);
        $fromBelow = $down > 0;
        $ahead = array_fill(0, $width, -INF);
        $strip = $spec->grid->strip();
        for ($done = 0; $done < $height; $done += $strip) {
            $count = min($strip, $height - $done);
            $first = $fromBelow ? $height - $done - $count : $done;
            $context->report($done / $height, 'looking for cast shadows');
            $values = Values::of($heights, 0, new Window(0, $first, $width, $count));
            $lines = array_fill(0, $count, '');
            for ($k = 0; $k < $count; $k++) {
                $row = $fromBelow ? $count - 1 - $k : $k;
                // on grids in degrees a column is shorter towards the poles
                [$across, $down] = self::towards($spec->grid, $sunAzimuth, $first + $row + 0.5);
                [$ahead, $lines[$row]] = self::row($values, $row * $width, $ahead, $width, $across, $down, tan(deg2rad($sunElevation)));
            }
            fseek($file, $first * $width);
            fwrite($file, implode('', $lines));
        }
        fclose($file);
        rename("$path.part", $path);

        return $made;
    }

    /** A byte for each pixel of some rows: 1 in shadow, 0 in the sun. */
    public function rows(int $first, int $count): string
    {
        return (string) file_get_contents($this->path, false, null, max(0, $first * $this->width), max(0, $count * $this->width));
    }

    /**
     * A metre towards the sun, in columns and rows.
     *
     * @return array{float, float}
     */
    private static function towards(Grid $grid, float $azimuth, float $row): array
    {
        [$colEast, $colNorth, $rowEast, $rowNorth] = Ground::axes($grid, $row);
        $determinant = $colEast * $rowNorth - $rowEast * $colNorth;
        [$east, $north] = [sin(deg2rad($azimuth)), cos(deg2rad($azimuth))];

        return [($rowNorth * $east - $rowEast * $north) / $determinant, ($colEast * $north - $colNorth * $east) / $determinant];
    }

    /**
     * The front over one row, and the shadows on it.
     *
     * $width pixels; $across and $down are columns and rows to a metre towards the sun, $tangent that of its height.
     *
     * @param  list<float>  $heights  NaN where there are none; the row begins at $at
     * @param  list<float>  $ahead  the front, or the ground where it stands higher, over the row before it on the sun's side; −∞ where nothing stands
     * @return array{list<float>, string}
     */
    public static function row(array $heights, int $at, array $ahead, int $width, float $across, float $down, float $tangent): array
    {
        $fall = $tangent / max(abs($down), abs($across));

        return abs($down) >= abs($across)
            ? self::before($heights, $at, $ahead, $width, $across / abs($down), $fall)
            : self::beside($heights, $at, $ahead, $width, $across > 0, abs($down / $across), $fall);
    }

    /**
     * The sun stands rather before the row than beside it: the front comes from the row before, between two of its pixels.
     *
     * $width pixels from index $at; the front falls by $fall metres to the next row.
     *
     * @param  list<float>  $heights
     * @param  list<float>  $ahead
     * @param  float  $share  columns towards the sun, −1 to 1
     * @return array{list<float>, string}
     */
    private static function before(array $heights, int $at, array $ahead, int $width, float $share, float $fall): array
    {
        $front = array_fill(0, $width, -INF);
        $shadows = str_repeat("\0", $width);
        $right = (int) floor($share);
        $part = $share - $right;
        $other = $right > -1 && $right < $width ? $ahead[$right] : -INF;
        for ($col = 0; $col < $width; $col++) {
            $right++;
            $one = $other;
            $other = $right < $width ? $ahead[$right] : -INF;
            $over = $one + $part * ($other - $one);
            if ($over - $over !== 0.0) {
                // nothing stands at one of them, or at both
                $over = $part > 0.5 ? $other : $one;
            }
            $over -= $fall;
            $height = $heights[$at + $col];
            if ($over > $height) {
                $shadows[$col] = "\1";
            }
            $front[$col] = $height > $over ? $height : $over;
        }

        return [$front, $shadows];
    }

    /**
     * The sun stands rather beside the row, which is gone through from its side: the front comes from the pixel beside and the one before that.
     *
     * $width pixels from index $at; the front falls by $fall metres to the next column.
     *
     * @param  list<float>  $heights
     * @param  list<float>  $ahead
     * @param  float  $share  rows towards the sun, 0 to 1
     * @return array{list<float>, string}
     */
    private static function beside(array $heights, int $at, array $ahead, int $width, bool $toRight, float $share, float $fall): array
    {
        $front = array_fill(0, $width, -INF);
        $shadows = str_repeat("\0", $width);
        $one = $other = -INF;
        for ($k = 0; $k < $width; $k++) {
            $col = $toRight ? $width - 1 - $k : $k;
            $over = $one + $share * ($other - $one);
            if ($over - $over !== 0.0) {
                $over = $share > 0.5 ? $other : $one;
            }
            $over -= $fall;
            $height = $heights[$at + $col];
            if ($over > $height) {
                $shadows[$col] = "\1";
            }
            $one = $height > $over ? $height : $over;
            $front[$col] = $one;
            $other = $ahead[$col];
        }

        return [$front, $shadows];
    }
}
