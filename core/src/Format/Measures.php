<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;

/**
 * Measures of segments: an array for each, all of one length, beside the array `segment` of their numbers; what they are called and in which
 * units stands in `measures.json` within the archive.
 */
final class Measures implements Table
{
    public const TYPE = 'measures of segments';

    private readonly Npz $file;

    /** @var list<array{name: string, unit: string|null}> */
    private readonly array $columns;

    private readonly int $count;

    /** @throws Problem where the file holds something else */
    public function __construct(string $path)
    {
        $this->file = new Npz($path);
        $told = $this->file->document('measures');
        $segments = $this->file->arrays['segment'] ?? null;
        if ($segments === null || ($told['type'] ?? null) !== self::TYPE) {
            throw Problem::input(basename($path).' holds no measures of segments.');
        }
        $this->count = $segments['count'];
        $columns = [];
        foreach ((array) ($told['measures'] ?? []) as $measure) {
            $name = is_array($measure) && is_string($measure['name'] ?? null) ? $measure['name'] : '';
            if (($this->file->arrays[$name]['count'] ?? -1) !== $this->count) {
                throw Problem::input(basename($path)." is corrupt: its measure “{$name}” has another number of values than there are segments.");
            }
            $columns[] = ['name' => $name, 'unit' => is_string($measure['unit'] ?? null) ? $measure['unit'] : null];
        }
        $this->columns = $columns;
    }

    /**
     * @param  list<int>  $segments  numbers
     * @param  list<array{name: string, unit?: string|null, values: list<float>}>  $measures  a value for each segment, NAN where it has none
     */
    public static function write(string $path, array $segments, array $measures): void
    {
        $arrays = ['segment' => ['<u4', $segments]];
        foreach ($measures as $measure) {
            $arrays[$measure['name']] = ['<f8', $measure['values']];
        }
        Npz::write($path, $arrays, [
            'measures' => [
                'type' => self::TYPE,
                'version' => 1,
                'measures' => array_map(fn (array $measure): array => ['name' => $measure['name'], 'unit' => $measure['unit'] ?? null], $measures),
            ],
        ]);
    }

    public function columns(): array
    {
        return [['name' => 'segment', 'unit' => null], ...$this->columns];
    }

    public function count(): int
    {
        return $this->count;
    }

    /** @return list<float|int> of all segments */
    public function values(string $measure): array
    {
        $this->known($measure);

        return $this->file->values($measure);
    }

    public function rows(int $from, int $count, ?array $columns = null): array
    {
        return $this->laid($columns, fn (string $name): array => $this->file->values($name, $from, $count));
    }

    public function pick(array $numbers, ?array $columns = null): array
    {
        return $this->laid($columns, function (string $name) use ($numbers): array {
            $values = $this->file->values($name);

            return array_map(fn (int $row): int|float => $values[$row], $numbers);
        });
    }

    /**
     * Columns as rows.
     *
     * @param  list<string>|null  $columns
     * @param  \Closure(string): list<int|float>  $values
     * @return list<list<int|float|null>>
     */
    private function laid(?array $columns, \Closure $values): array
    {
        $rows = [];
        foreach ($columns ?? array_column($this->columns(), 'name') as $name) {
            $this->known($name);
            foreach ($values($name) as $row => $value) {
                $rows[$row][] = is_finite($value) ? $value : null;
            }
        }

        return array_values($rows);
    }

    public function order(string $column, bool $descending = false): array
    {
        return CsvRows::ordered($this->values($column), $descending);
    }

    private function known(string $name): void
    {
        if (! in_array($name, array_column($this->columns(), 'name'), true)) {
            throw Problem::call("There is no measure “{$name}”; there are ".implode(', ', array_column($this->columns, 'name')).'.', 'columns');
        }
    }
}
