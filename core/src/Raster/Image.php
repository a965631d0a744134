<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** A raster that is read by windows. Bands and levels count from 0; level 0 is full resolution. */
interface Image
{
    public function spec(): RasterSpec;

    /** How a message names it: usually the file's name. */
    public function name(): string;

    /**
     * Raw little-endian samples of one band, row by row, in the spec's type.
     *
     * @param  Window  $window  wholly inside the image (or the overview, for a level above 0)
     */
    public function read(int $band, Window $window, int $level = 0): string;

    /** @return list<array{int, int}> width and height of each level, full resolution first */
    public function levels(): array;
}
