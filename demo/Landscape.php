<?php

namespace Chorometra\Demo;

/**
 * The made-up ground of Orvane Sound at one date: cover, height and fine structure at 10 m.
 *
 * The sea lies in the west, hills in the east; a tidal river winds inland between flats, marsh and fields. Between the dates a sea
 * wall is opened and the sea takes the fields behind it, the quarry grows, and a lock with its basin is built.
 */
final readonly class Landscape
{
    public const SIZE = 1200;

    /**
     * @param  list<int>  $cover  values of Cover
     * @param  list<float>  $height  in metres above mean sea level
     * @param  list<float>  $texture  fine structure, about 0 to 1
     * @param  list<float>  $field  a number of each field, 0 to 1
     */
    private function __construct(public array $cover, public array $height, public array $texture, public array $field) {}

    public static function at(bool $later, int $seed = 41): self
    {
        $n = self::SIZE;
        $relief = Noise::field($n, $n, [300 => 0.5, 150 => 0.28, 75 => 0.14, 30 => 0.08], $seed);
        $height = self::heights($relief, $n);
        $texture = Noise::field($n, $n, [11 => 0.4, 5 => 0.35, 2 => 0.25], $seed + 1);
        $patches = Noise::field($n, $n, [160 => 0.5, 70 => 0.35, 24 => 0.15], $seed + 2);
        [$field, $margin] = self::fields($n, $seed + 3);
        $cover = self::cover($height, $texture, $patches, $field, $margin, $n);
        self::town($cover, $texture, $patches, $n);
        self::quarry($cover, $patches, $n, $later ? 1.5 : 1.0);
        self::pens($cover, $n);
        self::behindTheWall($cover, $field, $patches, $n, $later);
        if ($later) {
            self::lock($cover, $n);
        }

        return new self($cover, $height, $texture, $field);
    }

    /** Row of the river's middle at a column. */
    private static function river(float $x): float
    {
        return 640.0 + 80.0 * sin($x / 105.0) + 34.0 * sin($x / 43.0 + 1.3) - 0.18 * ($x - 500.0);
    }

    /**
     * @param  list<float>  $relief
     * @return list<float>
     */
    private static function heights(array $relief, int $n): array
    {
        $river = [];
        $wide = [];
        for ($x = 0; $x < $n; $x++) {
            $river[] = self::river($x);
            $wide[] = max(5.0, 60.0 - 0.062 * $x);
        }
        for ($y = 0, $k = 0; $y < $n; $y++) {
            $coast = 330.0 + 70.0 * sin($y / 160.0 + 0.7) + 26.0 * sin($y / 57.0);
            for ($x = 0; $x < $n; $x++, $k++) {
                $inland = $x - $coast;
                $land = $inland < 0.0 ? 0.035 * $inland : 0.010 * $inland + 0.00018 * ($inland > 380.0 ? ($inland - 380.0) * ($inland - 380.0) : 0.0);
                $h = $land + 13.0 * ($relief[$k] - 0.5) * ($inland < 0.0 ? 0.8 : 1.0 + 0.006 * $inland) + 2.2;
                $d = $y - $river[$x];
                $d = ($d < 0.0 ? -$d : $d) / $wide[$x];
                if ($d < 4.0) {
                    // the valley: flat beside the river, a bed within
                    $share = $d < 1.0 ? 0.0 : ($d - 1.0) * 0.3333;
                    $share = $share * $share * (3.0 - 2.0 * $share);
                    $bed = $d < 1.0 ? -4.2 + 3.6 * $d * $d : -0.6 + 1.9 * ($d - 1.0) * 0.3333;
                    $h = $h < $bed ? $h : $bed + ($h - $bed) * $share;
                }
                $relief[$k] = $h;
            }
        }

        return $relief;
    }

    /**
     * Fields in bent rows, as they were once shared out: each row is cut across at its own widths, and some pieces once more along.
     *
     * @return array{list<float>, list<float>} a number of the field, and the distance to its margin in pixels
     */
    private static function fields(int $n, int $seed): array
    {
        $bend = Noise::field($n, $n, [260 => 0.6, 110 => 0.4], $seed);
        $number = array_fill(0, $n * $n, 0.0);
        $margin = array_fill(0, $n * $n, 0.0);
        $deep = 46.0;
        $widths = [];
        $starts = [];
        $ids = [];
        for ($row = 0; $row < 64; $row++) {
            $widths[] = 26.0 + 44.0 * Noise::hash($row, 1, $seed);
            $starts[] = 97.0 * Noise::hash($row, 2, $seed);
            for ($column = 0; $column < 128; $column++) {
                // a whole field, or two halves
                $isWhole = Noise::hash($row, $column, $seed + 1) <= 0.45;
                $ids[] = Noise::hash(2 * $row, $column, $seed + 2);
                $ids[] = $isWhole ? -1.0 : Noise::hash(2 * $row + 1, $column, $seed + 2);
            }
        }
        for ($y = 0, $k = 0; $y < $n; $y++) {
            for ($x = 0; $x < $n; $x++, $k++) {
                $b = 150.0 * $bend[$k];
                $u = 0.93 * $x + 0.37 * $y + $b;
                $v = 0.93 * $y - 0.37 * $x + $b + 600.0;
                $row = (int) ($v / $deep);
                $down = $v - $deep * $row;
                $wide = $widths[$row];
                $u += $starts[$row];
                $column = (int) ($u / $wide);
                $across = $u - $wide * $column;
                $at = 2 * (128 * $row + $column);
                $tall = $deep;
                if ($ids[$at + 1] >= 0.0) {
                    $tall = 0.5 * $deep;
                    if ($down >= $tall) {
                        $at++;
                        $down -= $tall;
                    }
                }
                $near = $across < $wide - $across ? $across : $wide - $across;
                $edge = $down < $tall - $down ? $down : $tall - $down;
                $number[$k] = $ids[$at];
                $margin[$k] = $near < $edge ? $near : $edge;
            }
        }

        return [$number, $margin];
    }

    /**
     * @param  list<float>  $height
     * @param  list<float>  $texture
     * @param  list<float>  $patches
     * @param  list<float>  $field
     * @param  list<float>  $margin
     * @return list<int>
     */
    private static function cover(array $height, array $texture, array $patches, array $field, array $margin, int $n): array
    {
        $cover = array_fill(0, $n * $n, 0);
        for ($k = 0, $count = $n * $n; $k < $count; $k++) {
            $h = $height[$k] + 0.5 * ($texture[$k] - 0.5);
            $f = $field[$k];
            $p = $patches[$k];
            if ($h < -2.2) {
                $c = 1;
            } elseif ($h < -0.5) {
                $c = 2;
            } elseif ($h < 0.35) {
                $c = 3;
            } elseif ($h < 1.15 + 0.5 * ($p - 0.5)) {
                $c = 4;
            } elseif ($p + 0.0045 * $h > 0.73 || ($h > 10.0 && $f > 0.86)) {
                $c = 8;
            } elseif ($margin[$k] < 0.9 && $texture[$k] > 0.52) {
                $c = 8;
            } else {
                $c = $f < 0.5 || $h > 24.0 ? 5 : ($f < 0.8 ? 6 : 7);
            }
            $cover[$k] = $c;
        }

        return $cover;
    }

    /**
     * @param  list<int>  $cover
     * @param  list<float>  $texture
     * @param  list<float>  $patches
     */
    private static function town(array &$cover, array $texture, array $patches, int $n): void
    {
        // the town, and villages along the road
        foreach ([[575, 425, 74, 52], [742, 398, 20, 15], [868, 432, 16, 20], [520, 862, 18, 13], [672, 744, 13, 16]] as [$cx, $cy, $rx, $ry]) {
            for ($y = $cy - 2 * $ry; $y < $cy + 2 * $ry; $y++) {
                for ($x = $cx - 2 * $rx; $x < $cx + 2 * $rx; $x++) {
                    $k = $y * $n + $x;
                    $r = hypot(($x - $cx) / $rx, ($y - $cy) / $ry) + 2.2 * ($patches[$k] - 0.5);
                    if ($r > 1.0 || $cover[$k] < 4) {
                        continue;
                    }
                    // streets make the grain; gardens and a park stay green
                    $u = (int) (0.8 * $x + 0.6 * $y);
                    $v = (int) (0.8 * $y - 0.6 * $x) + 2000;
                    $built = $u % 9 < 2 || $v % 13 < 2 || $texture[$k] > 0.42 + 0.14 * $r;
                    $cover[$k] = $built && hypot($x - 620, $y - 455) > 13 ? 9 : ($texture[$k] > 0.4 ? 5 : 8);
                }
            }
        }
        for ($x = 400; $x < $n; $x++) {
            // the road inland
            $y = (int) (430 - 60 * sin(($x - 470) / 190) + 0.1 * ($x - 470));
            for ($i = 0; $i < 2; $i++) {
                if ($cover[($y + $i) * $n + $x] > 3) {
                    $cover[($y + $i) * $n + $x] = 9;
                }
            }
        }
    }

    /**
     * @param  list<int>  $cover
     * @param  list<float>  $patches
     */
    private static function quarry(array &$cover, array $patches, int $n, float $grown): void
    {
        for ($y = 150; $y < 330; $y++) {
            for ($x = 860; $x < 1060; $x++) {
                $r = hypot(($x - 955) / 40, ($y - 238) / 27) + 1.9 * ($patches[$y * $n + $x] - 0.5);
                if ($r < $grown) {
                    $cover[$y * $n + $x] = $r < 0.22 ? 2 : 10;
                }
            }
        }
    }

    /** @return list<array{int, int}> columns and rows at 10 m */
    public static function penCentres(): array
    {
        return array_map(fn (int $i): array => [120 + 16 * ($i % 6) + 4 * intdiv($i, 6), 262 + 15 * intdiv($i, 6) + ($i % 3)], range(0, 11));
    }

    /**
     * Rings of fish pens in the bay.
     *
     * @param  list<int>  $cover
     */
    private static function pens(array &$cover, int $n): void
    {
        foreach (self::penCentres() as [$cx, $cy]) {
            for ($a = 0; $a < 40; $a++) {
                $k = (int) round($cy + 4.5 * sin($a * M_PI / 20)) * $n + (int) round($cx + 4.5 * cos($a * M_PI / 20));
                $cover[$k] = 9;
            }
        }
    }

    /**
     * Land that a sea wall keeps dry: pasture and crops across what was an inlet. Once the wall is opened it is bare flat with creeks.
     *
     * @param  list<int>  $cover
     * @param  list<float>  $field
     * @param  list<float>  $patches
     */
    private static function behindTheWall(array &$cover, array $field, array $patches, int $n, bool $isOpen): void
    {
        for ($y = 770; $y < 1000; $y++) {
            for ($x = 380; $x < 640; $x++) {
                $k = $y * $n + $x;
                $r = hypot(($x - 500) / 108, ($y - 885) / 88) + 0.35 * ($patches[$k] - 0.5);
                if ($r > 1.0) {
                    continue;
                }
                if ($isOpen) {
                    $creek = abs($y - 885 - 26 * sin($x / 21) - 9 * sin($x / 8)) < 5.5 - ($x - 395) / 52 || abs($x - 500 - 22 * sin($y / 15)) < 2.6;
                    $cover[$k] = $creek ? 2 : 3;
                } else {
                    $cover[$k] = $field[$k] < 0.5 ? 5 : 6;
                }
            }
        }
    }

    /**
     * A lock with its basin beside the town.
     *
     * @param  list<int>  $cover
     */
    private static function lock(array &$cover, int $n): void
    {
        for ($y = 520; $y < 580; $y++) {
            for ($x = 545; $x < 625; $x++) {
                $basin = $x > 556 && $x < 614 && $y > 531 && $y < 566;
                $cut = $x > 580 && $x < 590;
                $cover[$y * $n + $x] = $basin || $cut ? 2 : 9;
            }
        }
    }
}
