<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** An image seen through another: it keeps its name, and what is not told otherwise. Whoever uses it has $image and $spec. */
trait Wrapped
{
    public function spec(): RasterSpec
    {
        return $this->spec;
    }

    public function name(): string
    {
        return $this->image->name();
    }

    public function levels(): array
    {
        return $this->image->levels();
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        return $this->image->read($band, $window, $level);
    }
}
