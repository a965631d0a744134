<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Problem;

/** A kind of step: its declaration, and its computation. */
interface Kind
{
    public function declaration(): Declaration;

    /**
     * Writes the outputs that are asked for.
     *
     * @return array<string, mixed> figures, as declared
     *
     * @throws Problem where inputs or settings don't allow it
     */
    public function run(Call $call, Work $work): array;
}
