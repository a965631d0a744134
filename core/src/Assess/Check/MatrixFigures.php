<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Format\Csv;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;

/**
 * The matrix of a map and points with labels, and what is read off it.
 *
 * @phpstan-type Point array{
 *     x: float, y: float, label: string|null, second?: string|null, stratum?: string|null, share?: float|null, design?: string|null, ground?: float|null
 * }
 */
final class MatrixFigures
{
    /** Points of a class that lie outside it on the map, below which intervals of what is omitted are known to be too short. */
    private const LEAST_OMITTED = 15;

    /** Points whose places are told, so that a cell leads to them. */
    private const MOST_PLACES = 20_000;

    /**
     * The matrix and all that follows. Points without label, outside the map or where it is nodata are left out and counted; so are those
     * where it is unlabelled, unless they were drawn from there too.
     *
     * @param  list<Point>  $points
     * @return array<string, mixed>
     */
    public static function of(Image $map, ClassCounts $counts, array $points): array
    {
        $labels = LabelledPairs::of($map, $points);
        ['codes' => $said, 'legend' => $legend] = get_object_vars($labels);
        $codes = array_keys($counts->pixels + $legend->classes);
        $strata = Strata::of($points, array_column($said, 0), $legend, $counts);
        $pairs = $places = [];
        $seconds = 0;
        $left = ['unlabelled' => 0, 'outside' => 0];
        $seen = [];
        foreach ($said as $i => [$mapped, $truth]) {
            if ($truth === null) {
                $left['unlabelled']++;

                continue;
            }
            $place = sprintf('%.6F %.6F', $points[$i]['x'], $points[$i]['y']);
            $seen[$place] = ($seen[$place] ?? 0) + 1;
            if ($mapped === null || ($mapped === 0 && ! $strata->haveUnlabelled)) {
                $left['outside']++;

                continue;
            }
            $second = isset($points[$i]['second']) ? ClassCodes::find($legend, $points[$i]['second'], 'points') : null;
            $seconds += isset($points[$i]['second']) ? 1 : 0;
            $pairs[] = [$strata->places[$i], $mapped, $truth, $second === $mapped ? $mapped : $truth];
            $places[] = [$mapped, $truth, $points[$i]['x'], $points[$i]['y']];
            $codes = array_unique([...$codes, $mapped, $truth]);
        }
        sort($codes);
        $place = array_flip($codes);
        $matrix = array_fill(0, count($codes), array_fill(0, count($codes), 0));
        $matrices = $either = array_fill(0, count($strata->names), []);
        foreach ($pairs as [$stratum, $code, $truth, $also]) {
            [$row, $column] = [$place[$code], $place[$truth]];
            $either[$stratum][$row][$place[$also]] = ($either[$stratum][$row][$place[$also]] ?? 0) + 1;
            $matrix[$row][$column]++;
            $matrices[$stratum][$row][$column] = ($matrices[$stratum][$row][$column] ?? 0) + 1;
        }
        $twice = count(array_filter($seen, fn (int $times): bool => $times > 1));
        $drawnFrom = self::drawnFrom($points, $counts, $strata->haveUnlabelled);
        $notes = [
            ...self::unlabelled($counts, $strata->haveUnlabelled),
            ...($drawnFrom['notes']),
            ...($labels->strange === [] ? [] : ['The map has no class '.implode(', ', $labels->strange).': points with that label count as errors.']),
            ...$strata->few($matrices),
            ...$strata->notes,
            ...($twice > 0 ? ["$twice ".($twice > 1 ? 'places are labelled more than once' : 'place is labelled more than once').': each label counts.'] : []),
        ];

        $estimates = new Estimates($matrices, $strata->weights, count($codes));
        $figures = self::describe($codes, $legend, $counts, $drawnFrom['hectares'], new Accuracy($matrix), $estimates, $strata->names);
        $rare = array_column(array_filter($figures['classes'], fn (array $class): bool => $class['isRare']), 'class');
        if ($rare !== []) {
            $notes[] = 'Fewer than '.self::LEAST_OMITTED.' points of '.implode(', ', $rare).' are in other classes of the map: the intervals of its '
                .'omission (producer’s accuracy, F1, area) are too short for so few.';
        }
        $places = count($places) > self::MOST_PLACES ? [] : array_map(
            fn (array $one): array => [$place[$one[0]], $place[$one[1]], $one[2], $one[3]],
            $places,
        );

        // with a second label right too, wherever one was given
        $lenient = $seconds > 0
            ? self::named('either', (new Estimates($either, $strata->weights, count($codes)))->overall()) + ['secondLabels' => $seconds]
            : [];

        return $figures + [...$left, 'ground-unlabelled' => $counts->unlabelled, 'notes' => $notes, 'places' => $places] + $lenient;
    }

    /** @return list<string> */
    private static function unlabelled(ClassCounts $counts, bool $haveUnlabelled): array
    {
        return $counts->unlabelled > 0.0 && ! $haveUnlabelled
            ? [sprintf('%.3g %% of the map area is unlabelled: the figures apply to the rest.', 100 * $counts->unlabelled)]
            : [];
    }

    /**
     * The ground that points were drawn from, and what is to be said where that is not all that the map covers.
     *
     * @param  list<array{ground?: float|null, ...}>  $points
     * @return array{hectares: float|null, notes: list<string>}
     */
    private static function drawnFrom(array $points, ClassCounts $counts, bool $haveUnlabelled): array
    {
        // the ground of the classes is what is not unlabelled
        $all = $counts->hectares === null ? null : array_sum($counts->hectares) / ($haveUnlabelled ? max(1e-9, 1.0 - $counts->unlabelled) : 1.0);
        $told = array_values(array_unique(array_map(fn (array $point): ?float => $point['ground'] ?? null, $points)));
        if ($all === null || count($told) !== 1 || $told[0] === null || abs($told[0] / max(1e-300, $all) - 1.0) < 1e-3) {
            return ['hectares' => $all, 'notes' => []];
        }

        return ['hectares' => $told[0], 'notes' => [sprintf(
            'The points were drawn from %s ha, and the map has %s ha of classes: the figures apply to the former.',
            number_format($told[0], 1),
            number_format($all, 1),
        )]];
    }

    /**
     * @param  list<int>  $codes
     * @param  list<string>  $strata
     * @return array<string, mixed>
     */
    private static function describe(
        array $codes,
        Legend $legend,
        ClassCounts $counts,
        ?float $hectares,
        Accuracy $accuracy,
        Estimates $estimates,
        array $strata,
    ): array {
        $classes = [];
        foreach ($codes as $i => $code) {
            $area = $estimates->area($i);
            $omitted = (int) ($accuracy->columnSums[$i] - $accuracy->matrix[$i][$i]);
            $row = [
                'code' => $code,
                'class' => $legend->name($code),
                'colour' => $legend->classes[$code]['colour'] ?? null,
                'mapped' => $counts->pixels[$code] ?? 0,
                ...self::named('users', $estimates->users($i)),
                ...self::named('producers', $estimates->producers($i)),
                ...self::named('f1', $estimates->f1($i)),
                ...self::named('share', $area),
                'omitted' => $omitted,
                // of a class that no point is said to be there is no interval either
                'isRare' => $accuracy->columnSums[$i] > 0 && $omitted < self::LEAST_OMITTED,
                'more' => self::more($estimates->moreForArea($i), $strata),
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
            'more' => self::more($estimates->moreForOverall(), $strata),
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
     * @param  list<int>|null  $points  by stratum
     * @param  list<string>  $strata
     * @return array{points: int, from: list<array{stratum: string, points: int}>}|null
     */
    private static function more(?array $points, array $strata): ?array
    {
        if ($points === null || array_sum($points) === 0) {
            return null;
        }
        arsort($points);

        return ['points' => array_sum($points), 'from' => array_map(
            fn (int $stratum, int $number): array => ['stratum' => $strata[$stratum], 'points' => $number],
            array_keys(array_filter($points)),
            array_filter($points),
        )];
    }

    /**
     * @param  array{value: float|null, half: float|null}  $estimate
     * @return array<string, float|null>
     */
    private static function named(string $name, array $estimate): array
    {
        return [$name => $estimate['value'], "{$name}Half" => $estimate['half']];
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
        if (isset($figures['either'])) {
            $lines[] = ['overall accuracy, second labels right too', $figures['either'], '±', $figures['eitherHalf']];
        }
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
        $lines[] = ['additional points that would halve an interval, allocated optimally'];
        foreach (['overall accuracy' => $figures['more'], ...array_combine(array_map(fn (string $name): string => "area of $name", $names),
            array_column($classes, 'more'))] as $name => $more) {
            $from = array_map(fn (array $one): string => "{$one['points']} from {$one['stratum']}", $more['from'] ?? []);
            $lines[] = [$name, $more['points'] ?? null, ...$from];
        }
        $lines[] = [];
        $lines[] = ['points without label', $figures['unlabelled']];
        $lines[] = ['points outside the map', $figures['outside']];
        $lines[] = ['unlabelled share of the area', $figures['ground-unlabelled']];
        foreach ($figures['notes'] as $note) {
            $lines[] = [$note];
        }

        return Csv::of(array_map(array_values(...), $lines));
    }
}
