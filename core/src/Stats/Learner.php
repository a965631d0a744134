<?php

namespace Chorometra\Core\Stats;

/** What has learnt from examples which class values belong to. */
interface Learner
{
    /**
     * @param  list<list<float>>  $columns  values by measure, one for each case
     * @return list<list<float>> by class, the share of what speaks for it in each case, 0 to 1; NaN where a value is missing
     */
    public function shares(array $columns, int $count): array;
}
