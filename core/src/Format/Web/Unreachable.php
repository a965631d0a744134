<?php

namespace Chorometra\Core\Format\Web;

use Chorometra\Core\Problem;

/** Something that may go better when it is tried again. */
final class Unreachable extends Problem {}
