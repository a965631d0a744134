<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

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

    /** @param  int  $halo  rows around the window, as far as the image of $height rows has them */
    public static function around(Window $window, int $height, int $halo): self
    {
        return new self($window->width, $window->height, $window->row, min($halo, $window->row), min($halo, $height - $window->row - $window->height));
    }
}
