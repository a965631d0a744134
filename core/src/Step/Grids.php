<?php

namespace Chorometra\Core\Step;

/** What becomes of inputs on different grids. */
enum Grids: string
{
    /** They must lie on one. */
    case One = 'one';
    /** They may lie on any. */
    case Any = 'any';
    /** It brings one onto another's. */
    case Aligns = 'aligns';
}
