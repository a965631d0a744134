<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;

/** How a local computation goes: what it reads, what comes out, and the function between. */
final readonly class Plan
{
    /**
     * @param  list<Reading>  $sources  all on one grid; their bands are handed over in this order
     * @param  array<string, RasterSpec>  $outputs
     * @param  \Closure(list<list<float>|list<int>>, RowBlock): array<string, list<list<float>|list<int>>>  $compute
     * @param  int  $halo  rows needed above and below
     * @param  array<string, mixed>  $figures  told before the computation
     * @param  \Closure(int, int, int): ?string|null  $stored  packed tiles of the one output, by band, column and row, where they lie in the input already
     *
     * @throws Problem where the sources are not on one grid
     */
    public function __construct(
        public array $sources,
        public array $outputs,
        public \Closure $compute,
        public int $halo = 0,
        public array $figures = [],
        public bool $deflate = true,
        public ?\Closure $stored = null,
    ) {
        OneGrid::check(array_column($sources, 'image'));
    }
}
