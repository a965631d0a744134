<?php

namespace Chorometra\Core\Correct\Radar;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Neighbourhood;
use Chorometra\Core\Raster\RowBlock;

/** The filters of `correct.speckle`, over blocks of rows of intensity. */
final class SpeckleFilters
{
    /**
     * @param  list<float>  $values  with the rows of the halo
     * @return list<float>
     */
    public static function filtered(array $values, RowBlock $rows, string $filter, int $size, float $noise, float $damping = 2.0): array
    {
        $half = intdiv($size, 2);
        $padded = Neighbourhood::padded($values, $rows, $half);
        if ($filter === 'refined-lee') {
            $near = Neighbourhood::means(Neighbourhood::padded($values, $rows, 3), $rows->width + 4, $rows->rows + 4, 3);

            return self::refined($padded, $near, $rows->width, $rows->rows, $noise, self::halves($rows->width + 6));
        }
        $own = array_slice($values, $rows->above * $rows->width, $rows->rows * $rows->width);
        if ($filter === 'boxcar') {
            return self::kept(Neighbourhood::means($padded, $rows->width, $rows->rows, $size), $own, count($own));
        }
        [$means, $variances] = Neighbourhood::moments($padded, $rows->width, $rows->rows, $size);

        return match ($filter) {
            'gamma-map' => self::likeliest($own, $means, $variances, count($own), $noise),
            'frost' => self::weighted(
                $padded,
                $own,
                $means,
                $variances,
                $rows->width,
                $rows->rows,
                $damping,
                self::distances($size, $rows->width + 2 * $half),
                $rows->width + 2 * $half,
            ),
            default => self::lee($own, $means, $variances, count($own), $noise),
        };
    }

    /**
     * @param  list<float>  $values  decibels
     * @return list<float> power
     */
    public static function power(array $values, int $count): array
    {
        $factor = M_LN10 / 10;
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = exp($values[$i] * $factor);
        }

        return $values;
    }

    /**
     * Nodata stays nodata.
     *
     * @param  list<float>  $means
     * @param  list<float>  $own
     * @return list<float>
     */
    private static function kept(array $means, array $own, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($own[$i] !== $own[$i]) {
                $means[$i] = NAN;
            }
        }

        return $means;
    }

    /**
     * m + k (x − m), k = vx / (m² σu² + vx), vx = (v − m² σu²) / (1 + σu²) where positive.
     *
     * $count pixels.
     *
     * @param  list<float>  $own
     * @param  list<float>  $means
     * @param  list<float>  $variances
     * @param  float  $noise  σu², one over the looks
     * @return list<float>
     */
    public static function lee(array $own, array $means, array $variances, int $count, float $noise): array
    {
        $under = 1.0 / (1.0 + $noise);
        for ($i = 0; $i < $count; $i++) {
            $mean = $means[$i];
            $grain = $mean * $mean * $noise;
            $signal = ($variances[$i] - $grain) * $under;
            if ($signal > 0.0) {
                $own[$i] = $mean + $signal / ($grain + $signal) * ($own[$i] - $mean);
            } elseif ($own[$i] === $own[$i]) {
                $own[$i] = $mean;
            }
        }

        return $own;
    }

    /**
     * With Cu² = 1/L and Ci² = v/m²: the mean up to Cu, the pixel from √2 Cu on; between, with α = (1 + Cu²)/(Ci² − Cu²) and b = α − L − 1,
     * (b m + √(b² m² + 4 α L m x)) / 2α.
     *
     * $count pixels.
     *
     * @param  list<float>  $own
     * @param  list<float>  $means
     * @param  list<float>  $variances
     * @param  float  $noise  Cu²
     * @return list<float>
     */
    public static function likeliest(array $own, array $means, array $variances, int $count, float $noise): array
    {
        $looks = 1.0 / $noise;
        for ($i = 0; $i < $count; $i++) {
            $value = $own[$i];
            $mean = $means[$i];
            if ($value === $value && $mean > 0.0) {
                $uneven = $variances[$i] / ($mean * $mean);
                if ($uneven <= $noise) {
                    $own[$i] = $mean;
                } elseif ($uneven < 2.0 * $noise) {
                    $alpha = (1.0 + $noise) / ($uneven - $noise);
                    $b = ($alpha - $looks - 1.0) * $mean;
                    $own[$i] = ($b + sqrt($b * $b + 4.0 * $alpha * $looks * $mean * $value)) / (2.0 * $alpha);
                }
            }
        }

        return $own;
    }

    /**
     * A mean with the weights exp(−K Ci² d), d the distance in pixels.
     *
     * $rows of $width pixels in rows of $stride; $damping of the weights with distance.
     *
     * @param  list<float>  $padded
     * @param  list<float>  $own
     * @param  list<float>  $means
     * @param  list<float>  $variances
     * @param  list<array{float, list<int>}>  $distances  offsets from the window's first pixel by distance
     * @return list<float>
     */
    private static function weighted(
        array $padded,
        array $own,
        array $means,
        array $variances,
        int $width,
        int $rows,
        float $damping,
        array $distances,
        int $stride,
    ): array {
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $width; $col++, $i++) {
                $mean = $means[$i];
                if ($own[$i] !== $own[$i] || $mean <= 0.0) {
                    continue;
                }
                $fall = -$damping * $variances[$i] / ($mean * $mean);
                $start = $row * $stride + $col;
                $sum = $weight = 0.0;
                foreach ($distances as [$distance, $offsets]) {
                    $ring = $count = 0.0;
                    foreach ($offsets as $offset) {
                        $value = $padded[$start + $offset];
                        if ($value === $value) {
                            $ring += $value;
                            $count += 1.0;
                        }
                    }
                    $w = exp($fall * $distance);
                    $sum += $w * $ring;
                    $weight += $w * $count;
                }
                $own[$i] = $sum / $weight;
            }
        }

        return $own;
    }

    /** @return list<array{float, list<int>}> offsets of a window's pixels from its first, by their distance from its middle */
    private static function distances(int $size, int $stride): array
    {
        $half = intdiv($size, 2);
        $rings = [];
        for ($y = -$half; $y <= $half; $y++) {
            for ($x = -$half; $x <= $half; $x++) {
                $rings[$x * $x + $y * $y][] = ($y + $half) * $stride + $x + $half;
            }
        }
        ksort($rings);

        return array_map(fn (int $square, array $offsets): array => [sqrt($square), $offsets], array_keys($rings), $rings);
    }

    /**
     * The eight halves of a 7 x 7 window: offsets from its first pixel, by direction of the edge (0 upright, 1 falling to the right, 2 level,
     * 3 rising to the right), the two sides of each; the edge's own pixels belong to both.
     *
     * @return list<array{list<int>, list<int>}>
     */
    private static function halves(int $stride): array
    {
        $halves = [];
        foreach ([[1, 0], [1, -1], [0, 1], [1, 1]] as [$a, $b]) {
            $sides = [[], []];
            for ($y = -3; $y <= 3; $y++) {
                for ($x = -3; $x <= 3; $x++) {
                    $offset = ($y + 3) * $stride + $x + 3;
                    if ($a * $x + $b * $y <= 0) {
                        $sides[0][] = $offset;
                    }
                    if ($a * $x + $b * $y >= 0) {
                        $sides[1][] = $offset;
                    }
                }
            }
            $halves[] = $sides;
        }

        return $halves;
    }

    /**
     * $rows of $width pixels; $noise is the relative variance of the grain.
     *
     * @param  list<float>  $padded  by 3
     * @param  list<float>  $near  means of 3 x 3, with two more on every side
     * @param  list<array{list<int>, list<int>}>  $halves
     * @return list<float>
     */
    private static function refined(array $padded, array $near, int $width, int $rows, float $noise, array $halves): array
    {
        $stride = $width + 6;
        $step = $width + 4;
        $under = 1.0 / (1.0 + $noise);
        $out = [];
        for ($row = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $width; $col++) {
                $start = $row * $stride + $col;
                $own = $padded[$start + 3 * $stride + 3];
                if ($own !== $own) {
                    $out[] = NAN;

                    continue;
                }
                // means of the nine parts of the window, two pixels apart
                $k = $row * $step + $col;
                [$a, $b, $c] = [$near[$k], $near[$k + 2], $near[$k + 4]];
                $k += 2 * $step;
                [$d, $e, $f] = [$near[$k], $near[$k + 2], $near[$k + 4]];
                $k += 2 * $step;
                [$g, $h, $i] = [$near[$k], $near[$k + 2], $near[$k + 4]];
                $upright = $c + $f + $i - $a - $d - $g;
                $falling = $b + $c + $f - $d - $g - $h;
                $level = $g + $h + $i - $a - $b - $c;
                $rising = $f + $h + $i - $a - $b - $d;
                $best = $upright < 0.0 ? -$upright : $upright;
                $way = 0;
                $one = $d;
                $other = $f;
                $size = $falling < 0.0 ? -$falling : $falling;
                if ($size > $best) {
                    $best = $size;
                    $way = 1;
                    $one = $g;
                    $other = $c;
                }
                $size = $level < 0.0 ? -$level : $level;
                if ($size > $best) {
                    $best = $size;
                    $way = 2;
                    $one = $b;
                    $other = $h;
                }
                $size = $rising < 0.0 ? -$rising : $rising;
                if ($size > $best) {
                    $way = 3;
                    $one = $a;
                    $other = $i;
                }
                // the side whose mean is nearer to the middle's
                $one -= $e;
                $other -= $e;
                $side = $one * $one <= $other * $other ? 0 : 1;
                $sum = $square = $count = 0.0;
                foreach ($halves[$way][$side] as $offset) {
                    $value = $padded[$start + $offset];
                    if ($value === $value) {
                        $sum += $value;
                        $square += $value * $value;
                        $count += 1.0;
                    }
                }
                $mean = $sum / $count;
                $grain = $mean * $mean * $noise;
                $signal = ($square / $count - $mean * $mean - $grain) * $under;
                $out[] = $signal > 0.0 ? $mean + $signal / ($grain + $signal) * ($own - $mean) : $mean;
            }
        }

        return $out;
    }
}
