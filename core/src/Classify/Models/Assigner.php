<?php

namespace Chorometra\Core\Classify\Models;

/** What gives each case a class. */
interface Assigner
{
    /**
     * @param  list<list<float>>  $columns  values by band, NaN nodata
     * @param  bool  $tells  whether how sure each is, and how near, is wanted
     * @param  bool  $shares  whether what speaks for each class is wanted
     */
    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned;
}
