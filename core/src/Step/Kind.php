<?php

namespace Chorometra\Core\Step;

/** A kind of step: its declaration, and its computation in one of three shapes (LocalKind, LearningKind, WholeKind). */
interface Kind
{
    public function declaration(): Declaration;
}
