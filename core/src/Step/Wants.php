<?php

namespace Chorometra\Core\Step;

/** Which image is best for an input, among those that fit. */
enum Wants: string
{
    /** As it came from the sensor, before it means anything. */
    case Counts = 'counts';
    /** Light as the share that comes back. */
    case Reflectance = 'reflectance';
    /** Reflectance of one date, where several could be taken. */
    case Scene = 'scene';
    /** The earlier of two dates of one kind, and the later. */
    case Before = 'before';
    case After = 'after';
    /** One of each date. */
    case Dates = 'dates';
    /** Heights, which come from outside as one band without a role. */
    case Heights = 'heights';
    /** One fine band over much of the light. */
    case Pan = 'pan';
}
