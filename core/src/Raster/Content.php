<?php

namespace Chorometra\Core\Raster;

/** What a raster holds; it decides how overviews are made and how it is shown. */
enum Content: string
{
    case Image = 'image';
    case Classes = 'classes';
    case Segments = 'segments';
}
