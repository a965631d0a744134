<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Raster\RowBlock;

/** A pass over the image that gathers what can be merged, then a local pass that uses it. */
interface LearningKind extends Kind
{
    /** @return list<Reading> what the first pass reads; nothing where there is nothing to learn */
    public function study(Call $call): array;

    /**
     * What one block of rows adds; it must be JSON-able.
     *
     * @param  list<list<float>>  $bands
     * @return array<mixed>
     */
    public function learn(Call $call, array $bands, RowBlock $rows): array;

    /**
     * @param  array<mixed>  $one
     * @param  array<mixed>  $other
     * @return array<mixed>
     */
    public function merge(array $one, array $other): array;

    /** @param  array<mixed>  $learnt */
    public function plan(Call $call, array $learnt): Plan;
}
