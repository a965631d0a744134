<?php

namespace Chorometra\Core\Step;

/** A kind whose output windows follow from input windows: it says what to read and what comes out, and is computed in blocks of rows. */
abstract class LocalKind implements Kind
{
    /** Checks what goes beyond types, and says what to read, what comes out and how. */
    abstract public function plan(Call $call): Plan;

    final public function run(Call $call, Work $work): array
    {
        return $work->carryOut($this->plan($call));
    }
}
