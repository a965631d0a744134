<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** Places where a band is lowest: in the mean of the pixels around, apart from each other. */
final class LocalExtrema
{
    private const PIXELS = 400_000;

    /** Pixels between two places, of the level that is looked at. */
    private const APART = 12;

    /** Pixels around whose mean counts, each way. */
    private const HALF = 2;

    /** @return list<array{x: float, y: float, value: float}> map coordinates and the mean, the lowest (or the highest) first */
    public static function of(Image $image, int $band, int $most, bool $isHighest = false): array
    {
        $levels = $image->levels();
        $level = array_key_last($levels) ?? 0;
        foreach ($levels as $one => [$width, $height]) {
            if ($width * $height <= self::PIXELS) {
                $level = $one;
                break;
            }
        }
        [$width, $height] = $levels[$level];
        $values = Values::of($image, $band, new Window(0, 0, $width, $height), $level);
        $grid = $image->spec()->grid->resized($width, $height);
        $means = self::means($values, $width, $height);
        $isHighest ? arsort($means) : asort($means);
        $found = $taken = [];
        foreach ($means as $pixel => $mean) {
            if (is_nan($mean)) {
                continue;
            }
            [$col, $row] = [$pixel % $width, intdiv($pixel, $width)];
            foreach ($taken as [$c, $r]) {
                if (abs($c - $col) < self::APART && abs($r - $row) < self::APART) {
                    continue 2;
                }
            }
            $taken[] = [$col, $row];
            [$x, $y] = $grid->toMap($col + 0.5, $row + 0.5);
            $found[] = ['x' => $x, 'y' => $y, 'value' => $mean];
            if (count($found) >= $most) {
                break;
            }
        }

        return $found;
    }

    /**
     * @param  list<float>  $values
     * @return list<float> NaN where the pixel has no value
     */
    private static function means(array $values, int $width, int $height): array
    {
        $means = [];
        for ($row = 0; $row < $height; $row++) {
            for ($col = 0; $col < $width; $col++) {
                $sum = 0.0;
                $count = 0;
                for ($r = max(0, $row - self::HALF); $r <= min($height - 1, $row + self::HALF); $r++) {
                    for ($c = max(0, $col - self::HALF); $c <= min($width - 1, $col + self::HALF); $c++) {
                        $value = $values[$r * $width + $c];
                        if ($value === $value) {
                            $sum += $value;
                            $count++;
                        }
                    }
                }
                $own = $values[$row * $width + $col];
                $means[] = $own === $own ? $sum / max(1, $count) : NAN;
            }
        }

        return $means;
    }
}
