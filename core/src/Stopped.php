<?php

namespace Chorometra\Core;

/** A person asked for the work to end. */
final class Stopped extends Problem {}
