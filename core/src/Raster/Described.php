<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** The pixels of an image under another description. */
final readonly class Described implements Image
{
    public function __construct(private Image $image, private RasterSpec $spec) {}

    public function spec(): RasterSpec
    {
        return $this->spec;
    }

    public function name(): string
    {
        return $this->image->name();
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        return $this->image->read($band, $window, $level);
    }

    public function levels(): array
    {
        return $this->image->levels();
    }
}
