<?php

namespace Chorometra\Core\Raster;

/** The block of whole rows at hand: $rows of $width to be made from row $first on, with $above and $below more rows read as halo. */
final readonly class RowBlock
{
    public function __construct(
        public int $width,
        public int $rows,
        public int $first = 0,
        public int $above = 0,
        public int $below = 0,
    ) {}
}
