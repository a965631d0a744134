<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Format\Csv;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;

/** The matrix of a map and points with labels, and what is read off it. */
final class MatrixFigures
{
    /**
     * The matrix and all that follows. Points without label, outside the map or where it is unlabelled or nodata are left out and counted.
     *
     * @param  list<array{x: float, y: float, label: string|null}>  $points
     * @return array<string, mixed>
     */
    public static function of(Image $map, ClassCounts $counts, array $points): array
    {
        $legend = $map->spec()->legend ?? new Legend([]);
        $codes = array_keys($counts->pixels + $legend->classes);
        sort($codes);
        $pairs = [];
        $left = ['unlabelled' => 0, 'outside' => 0];
        foreach ($points as $point) {
            if ($point['label'] === null) {
                $left['unlabelled']++;

                continue;
            }
            $mapped = self::codeAt($map, $point['x'], $point['y']);
            if ($mapped === null) {
                $left['outside']++;

                continue;
            }
            $truth = $legend->codeOf($point['label']) ?? (ctype_digit($point['label']) ? (int) $point['label'] : null);
            if ($truth === null) {
                throw Problem::input(
                    "The label “{$point['label']}” is no class of {$map->name()}; its classes are ".
                        implode(', ', array_map($legend->name(...), $codes)).
                        '.',
                    'points',
                );
            }
            $pairs[] = [$mapped, $truth];
            foreach ([$mapped, $truth] as $code) {
                if (! in_array($code, $codes, true)) {
                    $codes[] = $code;
                }
            }
        }
        sort($codes);
        $place = array_flip($codes);
        $matrix = array_fill(0, count($codes), array_fill(0, count($codes), 0));
        foreach ($pairs as [$mapped, $truth]) {
            $matrix[$place[$mapped]][$place[$truth]]++;
        }

        return self::describe($codes, $legend, $counts, new Accuracy($matrix)) + $left;
    }

    /**
     * @param  list<int>  $codes
     * @return array<string, mixed>
     */
    private static function describe(array $codes, Legend $legend, ClassCounts $counts, Accuracy $accuracy): array
    {
        // what a class weighs is the ground it covers
        $adjusted = $accuracy->adjusted(array_map(fn (int $code): float => $counts->weights()[$code] ?? 0.0, $codes));
        $hectares = $counts->hectares === null ? null : array_sum($counts->hectares);
        $kappa = $accuracy->kappa();
        $classes = [];
        foreach ($codes as $i => $code) {
            $row = [
                'code' => $code,
                'class' => $legend->name($code),
                'colour' => $legend->classes[$code]['colour'] ?? null,
                'mapped' => $counts->pixels[$code] ?? 0,
                'users' => $accuracy->users()[$i],
                'producers' => $accuracy->producers()[$i],
                'f1' => $accuracy->f1()[$i],
            ];
            if ($adjusted !== null) {
                $row['adjusted'] = $adjusted['classes'][$i];
                if ($hectares !== null) {
                    $row['hectares'] = $adjusted['classes'][$i]['share'] * $hectares;
                    $row['hectaresHalf'] = $adjusted['classes'][$i]['shareHalf'] * $hectares;
                    $row['mappedHectares'] = $counts->hectares[$code] ?? 0.0;
                }
            }
            $classes[] = $row;
        }

        return [
            'points' => (int) $accuracy->total,
            'matrix' => $accuracy->matrix,
            'classes' => $classes,
            'overall' => $accuracy->overall(),
            'kappa' => $kappa['kappa'] ?? null,
            'kappaVariance' => $kappa['variance'] ?? null,
            'quantity' => $accuracy->disagreement()['quantity'] ?? null,
            'allocation' => $accuracy->disagreement()['allocation'] ?? null,
            'adjusted' => $adjusted === null ? null : ['overall' => $adjusted['overall'], 'overallHalf' => $adjusted['overallHalf']],
        ];
    }

    /** The class at a place; null outside, and where the map is unlabelled or nodata. */
    public static function codeAt(Image $map, float $x, float $y): ?int
    {
        $spec = $map->spec();
        [$col, $row] = array_map(fn (float $at): int => (int) floor($at), $spec->grid->toPixel($x, $y));
        if ($col < 0 || $row < 0 || $col >= $spec->grid->width || $row >= $spec->grid->height) {
            return null;
        }
        $code = Codec::codes($map->read(0, new Window($col, $row, 1, 1)), $spec->type)[0];

        return $code === 0 || $code === (int) $spec->nodata ? null : $code;
    }

    /** @param  array<string, mixed>  $figures */
    public static function csv(array $figures): string
    {
        $names = array_column($figures['classes'], 'class');
        $lines = [['map \ reference', ...$names, 'total', 'users accuracy']];
        foreach ($figures['matrix'] as $i => $row) {
            $lines[] = [$names[$i], ...$row, array_sum($row), $figures['classes'][$i]['users']];
        }
        $lines[] = [
            'total',
            ...array_map(fn (int $j): int|float => array_sum(array_column($figures['matrix'], $j)), array_keys($names)),
            $figures['points'],
            '',
        ];
        $lines[] = ['producers accuracy', ...array_column($figures['classes'], 'producers'), '', ''];
        $lines[] = ['F1', ...array_column($figures['classes'], 'f1'), '', ''];
        $lines[] = [];
        $lines[] = ['overall accuracy', $figures['overall']];
        $lines[] = ['kappa', $figures['kappa']];
        $lines[] = ['variance of kappa', $figures['kappaVariance']];
        $lines[] = ['quantity disagreement', $figures['quantity']];
        $lines[] = ['allocation disagreement', $figures['allocation']];
        if ($figures['adjusted'] !== null) {
            $lines[] = [];
            $lines[] = ['area-adjusted (95 % intervals)'];
            $lines[] = ['overall accuracy', $figures['adjusted']['overall'], '±', $figures['adjusted']['overallHalf']];
            $lines[] = ['class', 'users', '±', 'producers', '±', 'share of area', '±', 'hectares', '±', 'mapped hectares'];
            foreach ($figures['classes'] as $class) {
                $lines[] = [
                    $class['class'],
                    ...array_values($class['adjusted']),
                    $class['hectares'] ?? '',
                    $class['hectaresHalf'] ?? '',
                    $class['mappedHectares'] ?? '',
                ];
            }
        }
        $lines[] = [];
        $lines[] = ['points without label', $figures['unlabelled']];
        $lines[] = ['points outside the map', $figures['outside']];

        return Csv::of(
            array_map(
                fn (array $line): array => array_map(
                    fn (string|int|float|null $value): string|int|float|null => is_float($value) ? round($value, 6) : $value,
                    array_values($line),
                ),
                $lines,
            ),
        );
    }
}
