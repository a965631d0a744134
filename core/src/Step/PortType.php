<?php

namespace Chorometra\Core\Step;

enum PortType: string
{
    /** A raster of measured or derived values. */
    case Image = 'image';
    /** A class map. */
    case Classes = 'classes';
    /** A label image of segments. */
    case Segments = 'segments';
    /** Points with labels, GeoJSON. */
    case Points = 'points';
    /** Polygons, GeoJSON. */
    case Outlines = 'outlines';
    /** Points, lines or polygons, GeoJSON. */
    case Features = 'features';
    /** Rows of numbers. */
    case Table = 'table';
    /** A file as it was delivered: archive, picture, folder. */
    case File = 'file';
    /** A folder of images. */
    case Folder = 'folder';

    public function isRaster(): bool
    {
        return $this === self::Image || $this === self::Classes || $this === self::Segments;
    }

    /** Whether what lies at an output of type $other can go into an input of this type. */
    public function takes(self $other): bool
    {
        return $this === $other || ($this === self::Image && $other->isRaster()) || ($this === self::Features && $other === self::Outlines);
    }
}
