<?php

namespace Chorometra\Core\Regions\Numbers;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Raster\Wrapped;

/** Segments seen under other numbers. */
final readonly class Relabelled implements Image
{
    use Wrapped;

    private RasterSpec $spec;

    /** @param  list<int>  $numbers  by the number that each segment has, 0 first; 0 for those left out */
    public function __construct(private Image $image, private array $numbers)
    {
        $this->spec = RasterSpec::segments($image->spec()->grid, $image->spec()->properties);
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        $labels = Values::codes($this->image, $window, $band, $level);

        return Codec::encodeCodes(Renumbered::mapped($labels, $this->numbers, count($labels)), SampleType::UInt32);
    }
}
