<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;

/** A format that images are read from, by windows. */
interface RasterReader
{
    /**
     * Its name, within a sentence; null where the file is in another format.
     *
     * @param  string  $head  the first bytes of a file, 512 of them where there are as many
     */
    public static function format(string $head): ?string;

    /**
     * What can be told before pixels are unpacked.
     *
     * @throws Problem where the file is broken, or holds what can't be read
     */
    public static function described(string $path): RasterSpec;

    /** @throws Problem where the file is broken, or holds what can't be read */
    public static function open(string $path): Image;
}
