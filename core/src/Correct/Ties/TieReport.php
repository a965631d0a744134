<?php

namespace Chorometra\Core\Correct\Ties;

use Chorometra\Core\Format\Csv;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Step\Figure;

/** What is told of a fit through tie points, and the fit anew with others struck out. */
final class TieReport
{
    /** @return list<Figure> what a fit through tie points reports */
    public static function declared(): array
    {
        return [
            Figure::text('transform', 'transform'),
            Figure::number('used', 'used'),
            Figure::number('rejected', 'rejected'),
            Figure::number('weak', 'weak matches'),
            Figure::number('struck', 'excluded'),
            Figure::number('rmse', 'RMSE', 'pixels'),
            Figure::histogram('residuals', 'residuals of the points used', 'pixels'),
            Figure::apart('tie-points'),
        ];
    }

    /**
     * @param  list<array{col: float, row: float, dc: float, dr: float, quality: float}>  $points
     * @return array<string, mixed>
     */
    public static function figures(array $points, TieFit $fit, Grid $grid, string $transform): array
    {
        $rows = [];
        foreach ($points as $k => $point) {
            [$x, $y] = $grid->toMap($point['col'], $point['row']);
            [$dc, $dr] = $fit->shift($point['col'], $point['row']);
            $rows[] = [
                'number' => $k + 1,
                'at-column' => $point['col'],
                'at-row' => $point['row'],
                'x' => round($x, 4),
                'y' => round($y, 4),
                'state' => $fit->states[$k],
                'match' => round($point['quality'], 4),
                'columns' => round($point['dc'], 4),
                'rows' => round($point['dr'], 4),
                'residual-columns' => round($point['dc'] - $dc, 4),
                'residual-rows' => round($point['dr'] - $dr, 4),
            ];
        }
        $counts = array_count_values($fit->states);
        [$dc, $dr] = $fit->shift($grid->width / 2, $grid->height / 2);

        return [
            'transform' => $transform,
            'used' => $counts['used'] ?? 0,
            'weak' => $counts['weak'] ?? 0,
            'rejected' => $counts['rejected'] ?? 0,
            'struck' => $counts['struck'] ?? 0,
            'shift' => [
                'columns' => round($dc, 4),
                'rows' => round($dr, 4),
                'metres' => round(hypot($dc * $grid->transform[1] + $dr * $grid->transform[2], $dc * $grid->transform[4] + $dr * $grid->transform[5]), 3),
            ],
            'rmse' => round($fit->rmse, 4),
            'residuals' => self::residuals($rows),
            'tie-points' => $rows,
        ];
    }

    /**
     * How long the residuals of the points used are, as many bins as the root of their number.
     *
     * @param  list<array<string, mixed>>  $rows
     * @return array{minimum: float, maximum: float, counts: list<int>}|null
     */
    private static function residuals(array $rows): ?array
    {
        $lengths = array_map(
            fn (array $row): float => hypot($row['residual-columns'], $row['residual-rows']),
            array_values(array_filter($rows, fn (array $row): bool => $row['state'] === 'used')),
        );
        if (count($lengths) < 4 || max($lengths) <= 0) {
            return null;
        }
        $bins = (int) ceil(sqrt(count($lengths)));
        $counts = array_fill(0, $bins, 0);
        foreach ($lengths as $length) {
            $counts[min($bins - 1, (int) ($bins * $length / max($lengths)))]++;
        }

        return ['minimum' => 0.0, 'maximum' => round(max($lengths), 4), 'counts' => $counts];
    }

    /**
     * The fit anew through tie points that were found before, with others struck out.
     *
     * @param  list<array<string, mixed>>  $rows  as the figures told them
     * @param  list<int>  $struck
     * @return array<string, mixed> figures
     */
    public static function again(array $rows, Grid $grid, string $transform, float $leastMatch, float $reject, array $struck): array
    {
        $number = fn (mixed $value): float => is_numeric($value) ? (float) $value : NAN;
        $points = array_map(
            fn (array $row): array => [
                'col' => $number($row['at-column'] ?? null),
                'row' => $number($row['at-row'] ?? null),
                'dc' => $number($row['columns'] ?? null),
                'dr' => $number($row['rows'] ?? null),
                'quality' => $number($row['match'] ?? null),
            ],
            $rows,
        );

        return self::figures($points, TieFit::through($points, $transform, $grid->width, $grid->height, $leastMatch, $reject, $struck), $grid, $transform);
    }

    /** @param  list<array<string, mixed>>  $rows */
    public static function csv(array $rows): string
    {
        return Csv::of([array_keys($rows[0] ?? ['number' => 1]), ...array_map(array_values(...), $rows)]);
    }
}
