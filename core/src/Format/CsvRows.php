<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Utf8;

/** A table with a heading in a CSV file (RFC 4180). Where the rows lie is found in one pass. */
final class CsvRows implements Table
{
    private const MOST_ROWS = 2_000_000;

    private const MOST_COLUMNS = 4096;

    private const LONGEST = 1 << 20;

    /** @var resource */
    private $handle;

    /** @var list<string> */
    private readonly array $names;

    /** @var list<int> bytes before each row */
    private array $starts = [];

    /** @throws Problem where it is no table */
    public function __construct(private readonly string $path)
    {
        $name = basename($path);
        $this->handle = Utf8::open($path) ?: throw Problem::input("$name can't be opened.");
        $heading = $this->row();
        if ($heading === null || count($heading) > self::MOST_COLUMNS) {
            throw Problem::input("$name is no table: ".($heading === null ? 'it is empty.' : 'it has too many columns.'));
        }
        $this->names = array_map(strval(...), $heading);
        $lines = 0;
        do {
            $at = (int) ftell($this->handle);
            $row = $this->row();
            if ($row !== null && $row !== [null]) {
                $this->starts[] = $at;
            }
            if (++$lines > self::MOST_ROWS) {
                throw Problem::input("$name has more than ".number_format(self::MOST_ROWS).' rows.');
            }
        } while ($row !== null);
    }

    public function columns(): array
    {
        return array_map(fn (string $name): array => ['name' => $name, 'unit' => null], $this->names);
    }

    public function count(): int
    {
        return count($this->starts);
    }

    public function rows(int $from, int $count, ?array $columns = null): array
    {
        return $this->pick($count > 0 && $from < $this->count() ? range(max(0, $from), min($this->count(), $from + $count) - 1) : [], $columns);
    }

    public function pick(array $numbers, ?array $columns = null): array
    {
        $indices = $this->indices($columns);

        return array_map(fn (int $row): array => $this->at($row, $indices), $numbers);
    }

    public function order(string $column, bool $descending = false): array
    {
        $index = $this->indices([$column]);
        $values = array_map(fn (int $row): int|float|string|null => $this->at($row, $index)[0], array_keys($this->starts));

        return self::ordered($values, $descending);
    }

    /**
     * @param  list<int|float|string|null>  $values
     * @return list<int>
     */
    public static function ordered(array $values, bool $descending): array
    {
        $isNothing = fn (int|float|string|null $value): bool => $value === null || (is_float($value) && is_nan($value));
        $there = array_filter($values, fn (int|float|string|null $value): bool => ! $isNothing($value));
        $descending ? arsort($there) : asort($there);

        return [...array_keys($there), ...array_keys(array_diff_key($values, $there))];
    }

    /**
     * @param  list<int>  $indices
     * @return list<int|float|string|null>
     */
    private function at(int $row, array $indices): array
    {
        fseek($this->handle, $this->starts[$row]);
        $cells = $this->row() ?? [];

        return array_map(function (int $index) use ($cells): int|float|string|null {
            $cell = $cells[$index] ?? '';

            return match (true) {
                $cell === '' => null,
                is_numeric($cell) => $cell + 0,
                default => $cell,
            };
        }, $indices);
    }

    /**
     * @param  list<string>|null  $columns
     * @return list<int>
     */
    private function indices(?array $columns): array
    {
        return $columns === null ? array_keys($this->names) : array_map(function (string $name): int {
            $index = array_search($name, $this->names, true);

            return is_int($index) ? $index : throw Problem::call(basename($this->path)." has no column “{$name}”.", 'columns');
        }, $columns);
    }

    /** @return list<string|null>|null */
    private function row(): ?array
    {
        $row = fgetcsv($this->handle, self::LONGEST, ',', '"', '');

        return $row === false ? null : array_map($this->text(...), $row);
    }

    private function text(?string $cell): ?string
    {
        // most are ASCII, and need no second look
        return $cell === null || preg_match('/^[\x20-\x7E]*$/D', $cell) === 1
            ? $cell
            : Utf8::orNothing($cell) ?? throw Problem::input(basename($this->path).' contains bytes that are not text: save it as text (UTF-8).');
    }
}
