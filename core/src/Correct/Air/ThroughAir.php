<?php

namespace Chorometra\Core\Correct\Air;

use Chorometra\Core\Problem;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Kind;

/** A kind that takes the air out of an image, and can tell what it does to each band before it is run. */
interface ThroughAir extends Kind
{
    /**
     * Where each value of the air comes from; the bands that are corrected, by place.
     *
     * @return array{told: list<array{what: string, value: float|string, unit: string|null, from: string}>, bands: array<int, BandAir>}
     *
     * @throws Problem where a band can't be seen through such air
     */
    public function airOf(Call $call): array;
}
