<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;

/** What a computation works with: it goes over images by windows, on all cores and always in the order of rows, and writes the rasters that are asked for. */
interface Work
{
    /** A part of it, whose progress goes from $from to $to of the whole. */
    public function part(float $from, float $to): self;

    /**
     * Makes sure that so much memory can be had, before it is taken: for what grows with the image or with what is asked.
     *
     * @param  int  $bytes  beside windows
     * @param  string  $advice  what to do when they can't
     *
     * @throws Problem when they can't
     */
    public function reserve(int $bytes, string $advice = 'work on a part of the image'): void;

    /**
     * Goes over images and brings together what is found in each block of rows.
     *
     * @template T
     *
     * @param  list<Reading>  $readings  on one grid; their bands are handed over in this order
     * @param  \Closure(list<list<float>>, RowBlock): T  $find  in a worker; its answer must be serialisable
     * @param  \Closure(T, T): T  $merge  what was found so far with what lies below
     * @param  int  $halo  rows needed above and below
     * @return T
     *
     * @throws Problem where the images are not on one grid
     */
    public function gather(array $readings, \Closure $find, \Closure $merge, int $halo = 0): mixed;

    /**
     * Writes the rasters that are asked for, of those that could be made.
     *
     * @param  array<string, RasterSpec>  $specs  by output; all of one size
     * @param  \Closure(Window): array<string, list<list<float>|list<int>|string>>  $compute  the bands of each output; a string holds raw samples, of
     *   segments and classes; what is not asked for is left out
     * @param  int  $values  that are held for each pixel beside those of the outputs
     * @return array<string, mixed> figures by output
     */
    public function make(array $specs, \Closure $compute, int $values = 1): array;

    /** @return array<string, mixed> figures of the plan and by output */
    public function carryOut(Plan $plan): array;
}
