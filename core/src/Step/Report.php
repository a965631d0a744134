<?php

namespace Chorometra\Core\Step;

/** The figures of a run by their types, in the order in which they are shown: warning, statistics, tables, values. */
final class Report
{
    /** @return list<Figure> what any kind may report */
    private static function common(): array
    {
        return [
            Figure::text('datum', 'datum'),
            Figure::text('nodata', 'nodata'),
            Figure::number('infinitePixels', 'infinite samples, treated as nodata'),
            Figure::number('seconds', 'took', 's'),
            Figure::number('memory', 'memory', 'MB'),
        ];
    }

    /**
     * @param  array<string, mixed>  $figures
     * @return list<array<string, mixed>> each with `type`, and what it takes
     */
    public static function of(Declaration $declaration, array $figures): array
    {
        $parts = [];
        if (is_string($figures['warning'] ?? null)) {
            $parts[] = ['type' => 'warning', 'text' => $figures['warning']];
        }
        foreach ($declaration->outputs as $port) {
            $parts = [...$parts, ...self::statistics($port->name === 'result' ? '' : $port->name, $figures[$port->name] ?? null)];
        }
        $values = [];
        foreach ([...$declaration->figures, ...self::common()] as $figure) {
            $told = self::at($figures, $figure->name);
            $part = $told === null || $told === [] ? [] : self::part($figure, $told);
            if (in_array($figure->type, [FigureType::Value, FigureType::Text, FigureType::List, FigureType::Named], true)) {
                $values = [...$values, ...$part];
            } else {
                $parts = [...$parts, ...$part];
            }
        }

        return [...$parts, ...$values];
    }

    /**
     * Curves as far as they have grown, as they are shown.
     *
     * @param  array<string, list<list<float|int>>>  $grown  points by figure
     * @return list<array<string, mixed>>
     */
    public static function growing(Declaration $declaration, array $grown): array
    {
        $parts = [];
        foreach ($declaration->figures as $figure) {
            if ($figure->type === FigureType::Curve && isset($grown[$figure->name])) {
                $parts = [
                    ...$parts,
                    ...self::part($figure, array_map(fn (array $point): array => array_combine(array_keys($figure->columns), $point), $grown[$figure->name])),
                ];
            }
        }

        return $parts;
    }

    /**
     * Figures that nothing declares, and which are shown nowhere.
     *
     * @param  array<string, mixed>  $figures
     * @return list<string>
     */
    public static function undeclared(Declaration $declaration, array $figures): array
    {
        $known = [
            'warning',
            ...array_map(fn (Port $port): string => $port->name, $declaration->outputs),
            ...array_map(fn (Figure $figure): string => explode('.', $figure->name)[0], [...$declaration->figures, ...self::common()]),
        ];

        return array_values(array_diff(array_keys($figures), $known));
    }

    /** @param  array<string, mixed>  $figures */
    private static function at(array $figures, string $name): mixed
    {
        $at = $figures;
        foreach (explode('.', $name) as $key) {
            $at = is_array($at) ? $at[$key] ?? null : null;
        }

        return $at;
    }

    /** @return list<array<string, mixed>> */
    private static function part(Figure $figure, mixed $told): array
    {
        $rows = is_array($told) ? $told : [];
        if ($figure->type === FigureType::Table && $figure->columns === []) {
            $figure = $figure->with(array_keys((array) reset($rows)));
        }

        return match ($figure->type) {
            FigureType::Value => [
                is_numeric($told)
                    ? self::value($figure->label, (float) $told, $figure->unit)
                    : ['type' => 'text', 'label' => $figure->label, 'text' => self::word($told)],
            ],
            FigureType::Text => [['type' => 'text', 'label' => $figure->label, 'text' => self::word($told)]],
            FigureType::List => [['type' => 'list', 'label' => $figure->label, 'values' => array_values($rows), 'unit' => $figure->unit]],
            FigureType::Named => array_map(
                fn (string $name, mixed $one): array => is_int($one) || is_float($one)
                    ? self::value(self::label($name), $one, null)
                    : ['type' => 'text', 'label' => self::label($name), 'text' => self::word($one)],
                array_map(strval(...), array_keys($rows)),
                $rows,
            ),
            FigureType::Table, FigureType::Curve => [
                [
                    'type' => $figure->type === FigureType::Curve ? 'curve' : 'table',
                    'label' => $figure->label,
                    'columns' => self::columns($figure),
                    'rows' => array_map(fn (mixed $row): array => self::cells($figure, (array) $row), array_values($rows)),
                ],
            ],
            FigureType::Classes => [['type' => 'classes', 'label' => $figure->label, 'rows' => $rows]],
            FigureType::Images => array_merge(
                ...array_map(fn (string $name, mixed $one): array => self::statistics($name, $one), array_map(strval(...), array_keys($rows)), $rows),
            ),
            FigureType::Histogram => isset($rows['counts'])
                ? [
                    [
                        'type' => 'histogram',
                        'label' => $figure->label,
                        'unit' => $figure->unit,
                        'minimum' => $rows['minimum'],
                        'maximum' => $rows['maximum'],
                        'counts' => $rows['counts'],
                    ],
                ]
                : [],
            FigureType::Apart => [],
        };
    }

    /** @return list<array<string, mixed>> */
    private static function statistics(string $label, mixed $told): array
    {
        $parts = [];
        foreach (['classes', 'bands'] as $type) {
            if (is_array($told) && is_array($told[$type] ?? null)) {
                $parts[] = ['type' => $type, 'label' => $label, 'rows' => $told[$type]];
            }
        }

        return $parts;
    }

    /** @return array{type: string, label: string, value: float|int, unit: string|null} */
    private static function value(string $label, float|int $value, ?string $unit): array
    {
        return ['type' => 'value', 'label' => $label, 'value' => $unit === '%' ? 100 * $value : $value, 'unit' => $unit];
    }

    /** @return list<array{label: string, unit: string|null}> */
    private static function columns(Figure $figure): array
    {
        return array_map(
            fn (string $name, ?string $unit): array => ['label' => self::label($name), 'unit' => $unit],
            array_keys($figure->columns),
            $figure->columns,
        );
    }

    /**
     * @param  array<mixed>  $row
     * @return list<float|int|string|null>
     */
    private static function cells(Figure $figure, array $row): array
    {
        return array_map(function (string $name, ?string $unit) use ($row): float|int|string|null {
            $cell = $row[$name] ?? null;

            return match (true) {
                is_int($cell), is_float($cell) => $unit === '%' ? 100 * $cell : $cell,
                $cell === null || $cell === [] => null,
                default => self::word($cell),
            };
        }, array_keys($figure->columns), $figure->columns);
    }

    /** A name as words. */
    private static function label(string $name): string
    {
        return str_replace(['-', '_'], ' ', (string) preg_replace('/^\w+:/', '', $name));
    }

    private static function word(mixed $told): string
    {
        return match (true) {
            is_bool($told) => $told ? 'yes' : 'no',
            is_scalar($told) => (string) $told,
            // of rows the first column, of names with values both
            is_array($told) && array_is_list($told) => implode(
                ', ',
                array_map(fn (mixed $one): string => self::word(is_array($one) ? reset($one) : $one), $told),
            ),
            is_array($told) => implode(
                ', ',
                array_map(fn (string $name, mixed $one): string => "$name = ".self::word($one), array_map(strval(...), array_keys($told)), $told),
            ),
            default => '–',
        };
    }
}
