<?php

namespace Chorometra\Demo;

/** Smooth noise over a grid, the same for the same seed. */
final class Noise
{
    /**
     * Value noise: random numbers on lattices of falling cell size, joined smoothly and added up.
     *
     * @param  array<int, float>  $octaves  cell size in pixels => weight
     * @return list<float> about 0 to 1, rows of $width
     */
    public static function field(int $width, int $height, array $octaves, int $seed): array
    {
        $out = array_fill(0, $width * $height, 0.0);
        $sum = array_sum($octaves);
        foreach ($octaves as $cell => $weight) {
            self::octave($out, $width, $height, $cell, $weight / $sum, $seed + 7919 * $cell);
        }

        return $out;
    }

    /**
     * Independent numbers with mean 0 and deviation of about 1.
     *
     * @return list<float>
     */
    public static function grain(int $count, int $seed): array
    {
        $out = array_fill(0, $count, 0.0);
        $state = ($seed * 2654435761 + 12345) & 0x7FFFFFFF;
        for ($i = 0; $i < $count; $i++) {
            $state = ($state * 1103515245 + 12345) & 0x7FFFFFFF;
            $a = $state >> 8;
            $state = ($state * 1103515245 + 12345) & 0x7FFFFFFF;
            $b = $state >> 8;
            $state = ($state * 1103515245 + 12345) & 0x7FFFFFFF;
            $out[$i] = ($a + $b + ($state >> 8)) * (2.0 / 8388608.0) - 3.0;
        }

        return $out;
    }

    public static function hash(int $x, int $y, int $seed): float
    {
        $h = ($x * 374761393 + $y * 668265263 + $seed * 2147483647) & 0x7FFFFFFF;
        $h = (($h ^ ($h >> 13)) * 1274126177) & 0x7FFFFFFF;

        return (($h ^ ($h >> 16)) & 0xFFFFFF) / 16777216;
    }

    /** @param  list<float>  $out */
    private static function octave(array &$out, int $width, int $height, int $cell, float $weight, int $seed): void
    {
        $columns = intdiv($width, $cell) + 2;
        $ease = [];
        for ($i = 0; $i < $cell; $i++) {
            $t = $i / $cell;
            $ease[] = $t * $t * (3.0 - 2.0 * $t);
        }
        $top = $upper = self::row($columns, 0, $seed);
        for ($y = 0, $k = 0; $y < $height; $y++) {
            if ($y % $cell === 0) {
                $top = $upper;
                $upper = self::row($columns, intdiv($y, $cell) + 1, $seed);
            }
            $v = $ease[$y % $cell];
            $mixed = [];
            foreach ($top as $c => $value) {
                $mixed[] = $weight * ($value + $v * ($upper[$c] - $value));
            }
            for ($x = 0, $c = 0, $i = 0; $x < $width; $x++, $k++) {
                $out[$k] += $mixed[$c] + $ease[$i] * ($mixed[$c + 1] - $mixed[$c]);
                if (++$i === $cell) {
                    $i = 0;
                    $c++;
                }
            }
        }
    }

    /** @return list<float> */
    private static function row(int $columns, int $row, int $seed): array
    {
        $values = [];
        for ($column = 0; $column < $columns; $column++) {
            $values[] = self::hash($column, $row, $seed);
        }

        return $values;
    }
}
