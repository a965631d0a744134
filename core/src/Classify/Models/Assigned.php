<?php

namespace Chorometra\Core\Classify\Models;

/** What became of cases. */
final readonly class Assigned
{
    /**
     * @param  list<int>  $codes  0 where nothing was near enough, nodata where a value is missing
     * @param  list<float>  $sure  confidence, 0 to 1, NaN nodata; empty where it was not asked for
     * @param  list<float>  $near  distance to the class, in the method's own measure
     * @param  list<list<float>>  $shares  probability by class, 0 to 1, NaN nodata
     */
    public function __construct(public array $codes, public array $sure = [], public array $near = [], public array $shares = []) {}
}
