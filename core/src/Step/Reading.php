<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Computed;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RowBlock;

/** Bands of an image that a computation reads: as values (floats, NaN for nodata) or as codes. */
final readonly class Reading
{
    /** Bands' worth of arrays that an image which is computed takes beside its own. */
    private const WORKING = 5;

    /**
     * @param  list<int>  $bands
     * @param  array<int, list<float>>  $tables  by place in $bands: what each sample of 8 or 16 bits becomes, where that is all there is to it
     * @param  array<int, array{float, float}>  $lines  by place in $bands: gain and offset that its values are turned by while they are decoded
     */
    public function __construct(
        public Image $image,
        public array $bands,
        public bool $codes = false,
        public array $lines = [],
        public array $tables = [],
    ) {}

    /**
     * What is read for a block of rows, with the rows above and below it.
     *
     * @param  list<self>  $readings  on one grid
     * @return list<list<float>|list<int>> their bands, one after the other
     */
    public static function all(array $readings, RowBlock $rows): array
    {
        $window = new Window(0, $rows->first - $rows->above, $rows->width, $rows->above + $rows->rows + $rows->below);

        return array_merge(...array_map(fn (self $reading): array => $reading->bands($window), $readings));
    }

    /** Bands' worth of arrays that reading takes. */
    public function room(): int
    {
        return count($this->bands) + ($this->image instanceof Computed ? self::WORKING : 0);
    }

    /** @return list<list<float>|list<int>> */
    private function bands(Window $window): array
    {
        $spec = $this->image->spec();
        $read = [];
        foreach ($this->bands as $place => $band) {
            [$gain, $offset] = $this->lines[$place] ?? [1.0, 0.0];
            if ($this->image instanceof Computed && ! $this->codes) {
                $values = $this->image->values($band, $window);
                $read[] = $gain === 1.0 && $offset === 0.0 ? $values : Codec::linear($values, count($values), $gain, $offset);

                continue;
            }
            $bytes = $this->image->read($band, $window);
            $read[] = match (true) {
                isset($this->tables[$place]) => Codec::looked($bytes, $spec->type, $this->tables[$place]),
                $this->codes => Codec::codes($bytes, $spec->type),
                default => Codec::values($bytes, $spec->type, $spec->nodata, $gain, $offset),
            };
        }

        return $read;
    }
}
