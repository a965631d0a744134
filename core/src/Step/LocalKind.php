<?php

namespace Chorometra\Core\Step;

/** An output window follows from input windows: computed in blocks of rows on all workers, never holding the image. */
interface LocalKind extends Kind
{
    /** Checks what goes beyond types, and says what to read, what comes out and how. */
    public function plan(Call $call): Plan;
}
