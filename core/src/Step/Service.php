<?php

namespace Chorometra\Core\Step;

/** What a setting that holds an address leads to. */
enum Service: string
{
    /** An archive of scenes, STAC API. */
    case Archive = 'archive';
    /** The air over a place, OGC API – EDR. */
    case Atmosphere = 'atmosphere';
}
