<?php

namespace Chorometra\Core\Classify\Cases;

/** Where measures of the segments are kept from one time to the next. */
interface Shelf
{
    /** @return array{unit: string|null, values: list<float>}|null null where they are not kept */
    public function take(string $measure): ?array;

    /** @param  array{unit: string|null, values: list<float>}  $column */
    public function put(string $measure, array $column): void;
}
