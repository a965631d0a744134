<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Raster\Image;

/** Bands of an image that a computation reads: as values (floats, NaN for nodata) or as codes. */
final readonly class Source
{
    /** @param  list<int>  $bands */
    public function __construct(public Image $image, public array $bands, public bool $codes = false) {}
}
