<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Raster\Image;

/** Bands of an image that a computation reads: as values (floats, NaN for nodata) or as codes. */
final readonly class Reading
{
    /**
     * @param  list<int>  $bands
     * @param  int  $halo  rows above and below that a first pass over it needs
     * @param  array<int, list<float>>  $tables  by place in $bands: what each sample of 8 or 16 bits becomes, where that is all there is to it
     * @param  array<int, array{float, float}>  $lines  by place in $bands: gain and offset that its values are turned by while they are decoded
     */
    public function __construct(
        public Image $image,
        public array $bands,
        public bool $codes = false,
        public int $halo = 0,
        public array $lines = [],
        public array $tables = [],
    ) {}
}
