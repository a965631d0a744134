<?php

namespace Chorometra\Core\Format;

/** A table that is read by windows, whatever file it is in. */
interface Table
{
    /** @return list<array{name: string, unit: string|null}> */
    public function columns(): array;

    public function count(): int;

    /**
     * @param  list<string>|null  $columns  names; all where null
     * @return list<list<int|float|string|null>> null where there is no value
     */
    public function rows(int $from, int $count, ?array $columns = null): array;

    /**
     * Rows by their numbers, from 0, in that order.
     *
     * @param  list<int>  $numbers
     * @param  list<string>|null  $columns
     * @return list<list<int|float|string|null>>
     */
    public function pick(array $numbers, ?array $columns = null): array;

    /**
     * Numbers of the rows (from 0) in the order of a column's values, those without a value last.
     *
     * @return list<int>
     */
    public function order(string $column, bool $descending = false): array;
}
