<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Format\Csv;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;

/** The matrix of a map and points with labels, and what is read off it. */
final class MatrixFigures
{
    /**
     * The matrix and all that follows. Points without label, outside the map or where it is unlabelled or nodata are left out and counted.
     *
     * @param  list<array{x: float, y: float, label: string|null, stratum?: string|null, share?: float|null, design?: string|null}>  $points
     * @return array<string, mixed>
     */
    public static function of(Image $map, ClassCounts $counts, array $points): array
    {
        $legend = $map->spec()->legend ?? new Legend([]);
        $codes = array_keys($counts->pixels + $legend->classes);
        $said = Labels::codes($map, $points);
        $strata = Strata::of($points, array_column($said, 0), $legend, $counts);
        $pairs = [];
        $left = ['unlabelled' => 0, 'outside' => 0];
        $seen = [];
        foreach ($said as $i => [$mapped, $truth]) {
            if ($truth === null) {
                $left['unlabelled']++;

                continue;
            }
            $place = sprintf('%.6F %.6F', $points[$i]['x'], $points[$i]['y']);
            $seen[$place] = ($seen[$place] ?? 0) + 1;
            if ($mapped === null) {
                $left['outside']++;

                continue;
            }
            $pairs[] = [$strata->places[$i], $mapped, $truth];
            $codes = array_unique([...$codes, $mapped, $truth]);
        }
        sort($codes);
        $place = array_flip($codes);
        $matrix = array_fill(0, count($codes), array_fill(0, count($codes), 0));
        $matrices = array_fill(0, count($strata->names), []);
        foreach ($pairs as [$stratum, $code, $truth]) {
            [$row, $column] = [$place[$code], $place[$truth]];
            $matrix[$row][$column]++;
            $matrices[$stratum][$row][$column] = ($matrices[$stratum][$row][$column] ?? 0) + 1;
        }
        $twice = count(array_filter($seen, fn (int $times): bool => $times > 1));
        $notes = [
            ...$strata->few($matrices),
            ...$strata->notes,
            ...($twice > 0 ? ["$twice ".($twice > 1 ? 'places are labelled more than once' : 'place is labelled more than once').': each label counts.'] : []),
        ];

        $estimates = new Estimates($matrices, $strata->weights, count($codes));

        return self::describe($codes, $legend, $counts, new Accuracy($matrix), $estimates) + [...$left, 'notes' => $notes];
    }

    /**
     * @param  list<int>  $codes
     * @return array<string, mixed>
     */
    private static function describe(array $codes, Legend $legend, ClassCounts $counts, Accuracy $accuracy, Estimates $estimates): array
    {
        $hectares = $counts->hectares === null ? null : array_sum($counts->hectares);
        $classes = [];
        foreach ($codes as $i => $code) {
            $area = $estimates->area($i);
            $row = [
                'code' => $code,
                'class' => $legend->name($code),
                'colour' => $legend->classes[$code]['colour'] ?? null,
                'mapped' => $counts->pixels[$code] ?? 0,
                ...self::named('users', $estimates->users($i)),
                ...self::named('producers', $estimates->producers($i)),
                ...self::named('f1', $estimates->f1($i)),
                ...self::named('share', $area),
                'counted' => ['users' => $accuracy->users()[$i], 'producers' => $accuracy->producers()[$i], 'f1' => $accuracy->f1()[$i]],
            ];
            if ($hectares !== null) {
                $row['hectares'] = $area['value'] === null ? null : $area['value'] * $hectares;
                $row['hectaresHalf'] = $area['half'] === null ? null : $area['half'] * $hectares;
                $row['mappedHectares'] = $counts->hectares[$code] ?? 0.0;
            }
            $classes[] = $row;
        }
        $kappa = $accuracy->kappa();

        return [
            'points' => (int) $accuracy->total,
            'matrix' => $accuracy->matrix,
            'shares' => $estimates->shares(),
            'classes' => $classes,
            ...self::named('overall', $estimates->overall()),
            ...self::named('kappa', $estimates->kappa()),
            'quantity' => $estimates->disagreement()['quantity'] ?? null,
            'allocation' => $estimates->disagreement()['allocation'] ?? null,
            'counted' => [
                'overall' => $accuracy->overall(),
                'kappa' => $kappa['kappa'] ?? null,
                'kappaVariance' => $kappa['variance'] ?? null,
                'quantity' => $accuracy->disagreement()['quantity'] ?? null,
                'allocation' => $accuracy->disagreement()['allocation'] ?? null,
            ],
        ];
    }

    /**
     * @param  array{value: float|null, half: float|null}  $estimate
     * @return array<string, float|null>
     */
    private static function named(string $name, array $estimate): array
    {
        return [$name => $estimate['value'], "{$name}Half" => $estimate['half']];
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
        $classes = $figures['classes'];
        $names = array_column($classes, 'class');
        $counted = array_column($classes, 'counted');
        $lines = [['map \ reference', ...$names, 'total', 'users accuracy (points)']];
        foreach ($figures['matrix'] as $i => $row) {
            $lines[] = [$names[$i], ...$row, array_sum($row), $counted[$i]['users']];
        }
        $sums = array_map(fn (int $j): int|float => array_sum(array_column($figures['matrix'], $j)), array_keys($names));
        $lines[] = ['total', ...$sums, $figures['points'], ''];
        $lines[] = ['producers accuracy (points)', ...array_column($counted, 'producers'), '', ''];
        $lines[] = ['F1 (points)', ...array_column($counted, 'f1'), '', ''];
        $labels = ['overall accuracy', 'kappa', 'variance of kappa', 'quantity disagreement', 'allocation disagreement'];
        foreach (['overall', 'kappa', 'kappaVariance', 'quantity', 'allocation'] as $k => $name) {
            $lines[] = ["$labels[$k] (points)", $figures['counted'][$name]];
        }
        $lines[] = [];
        $lines[] = ['of the whole map (estimates and half-widths of 95 % intervals)'];
        foreach ($figures['shares'] ?? [] as $i => $row) {
            $lines[] = ["share of the ground: {$names[$i]}", ...$row];
        }
        $lines[] = ['overall accuracy', $figures['overall'], '±', $figures['overallHalf']];
        $lines[] = ['kappa', $figures['kappa'], '±', $figures['kappaHalf']];
        $lines[] = ['quantity disagreement', $figures['quantity']];
        $lines[] = ['allocation disagreement', $figures['allocation']];
        $lines[] = ['class', 'users', '±', 'producers', '±', 'F1', '±', 'share of area', '±', 'hectares', '±', 'mapped hectares'];
        foreach ($classes as $class) {
            $line = [$class['class']];
            foreach (['users', 'producers', 'f1', 'share', 'hectares'] as $name) {
                array_push($line, $class[$name] ?? null, $class["{$name}Half"] ?? null);
            }
            $lines[] = [...$line, $class['mappedHectares'] ?? null];
        }
        $lines[] = [];
        $lines[] = ['points without label', $figures['unlabelled']];
        $lines[] = ['points outside the map', $figures['outside']];
        foreach ($figures['notes'] as $note) {
            $lines[] = [$note];
        }

        return Csv::of(array_map(array_values(...), $lines));
    }
}
