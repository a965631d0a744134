<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Raster\Band;

/** What a delivery's metadata say: which file is which band, and what holds for the whole scene. */
interface Profile
{
    public function title(): string;

    /** @return array<string, mixed> STAC properties */
    public function properties(): array;

    /**
     * The bands of a group: a test for the file's name in the bundle, how that file is called in messages, and what the band is.
     *
     * @return list<array{file: string, pattern: bool, band: Band}> with pattern, the file is a regular expression
     */
    public function bands(string $group): array;

    /** The value that means nodata in files of a group which name none themselves. */
    public function fill(string $group): ?float;
}
