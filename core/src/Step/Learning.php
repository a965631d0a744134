<?php

namespace Chorometra\Core\Step;

/** Where a kind that learns before it computes learns from when it is only tried. */
enum Learning: string
{
    case Nothing = 'nothing';
    /** An overview of the whole image. */
    case Overview = 'overview';
    /** The whole image, as when it is run. */
    case Whole = 'whole';
    /** What is visible: an overview would not show what is looked for. */
    case Window = 'window';
}
