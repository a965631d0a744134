<?php

namespace Chorometra\Core\Step;

/** The route: the stages of the work, in the order in which analysts go. */
enum Stage: string
{
    case Gather = 'gather';
    case Correct = 'correct';
    case Derive = 'derive';
    case Segment = 'segment';
    case Classify = 'classify';
    case Compare = 'compare';
    case Assess = 'assess';
    case Deliver = 'deliver';
}
