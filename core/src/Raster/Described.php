<?php

namespace Chorometra\Core\Raster;

/** The pixels of an image under another description. */
final readonly class Described implements Image
{
    use Wrapped;

    public function __construct(private Image $image, private RasterSpec $spec) {}
}
