<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** An image whose values are computed when they are read: they need no way through bytes. */
interface Computed extends Image
{
    /** @return list<float> values of one band, row by row, NaN for nodata */
    public function values(int $band, Window $window): array;
}
