<?php

namespace Chorometra\Core\Classify\Cases;

use Chorometra\Core\Problem;

/** What questions are asked of: pixels, or segments and what they were cut to. */
interface Cases
{
    public function count(): int;

    /**
     * @return array{unit: string|null, values: list<float>} a measure or formula, for each; NaN where there is none
     *
     * @throws Problem where it can't be given
     */
    public function column(string $text): array;

    /** @return list<int|float>|null pixels of each; null where each is one */
    public function pixels(): ?array;

    /** @return list<float>|null in hectares; null where the ground is not known */
    public function hectares(): ?array;

    /** @return list<list<int>>|null places among those given that each is made of; null where each is one of them */
    public function leaves(): ?array;
}
