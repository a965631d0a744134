<?php

namespace Chorometra\Core\Raster;

/** What the values of a band are counted from, where that decides how they are shown. */
enum Scale: string
{
    /** On both sides of zero: differences, components, scores. */
    case Signed = 'signed';

    /** On both sides of one: quotients. */
    case Ratio = 'ratio';

    /** Round a circle, the end beside the beginning: directions and phases. */
    case Cyclic = 'cyclic';

    /** From 0 to 1. */
    case Probability = 'probability';
}
