<?php

namespace Chorometra\Core\Format\Bundle;

/** An archive could not be looked through in the time that was given. */
final class TooLong extends \RuntimeException {}
