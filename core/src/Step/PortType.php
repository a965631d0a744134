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

    /** What lies there, in words. */
    public function words(): string
    {
        return match ($this) {
            self::Image => 'an image of values',
            self::Classes => 'a class map',
            self::Segments => 'segments',
            self::Points => 'points',
            self::Outlines => 'outlines',
            self::Features => 'points, lines or polygons',
            self::Table => 'a table',
            self::File => 'a file as it was delivered',
            self::Folder => 'a folder of images',
        };
    }

    /** What lies there in an example. */
    public function sample(): string
    {
        return match ($this) {
            self::Image => 'reflectance',
            self::Classes => 'map',
            self::File => 'delivered.tif',
            self::Features => 'area',
            default => $this->value,
        };
    }

    /** How a file of an example ends. */
    public function ending(): string
    {
        return match (true) {
            $this->isRaster() => '.tif',
            $this === self::Table => '.csv',
            $this === self::Folder, $this === self::File => '',
            default => '.geojson',
        };
    }

    /** Whether what lies at an output of type $other can go into an input of this type. */
    public function takes(self $other): bool
    {
        return $this === $other || match ($this) {
            self::Image => $other->isRaster(),
            self::Features => $other === self::Outlines || $other === self::Points,
            // what is in a file of features is seen when it is read
            self::Points, self::Outlines => $other === self::Features,
            self::File => ! $other->isRaster() && $other !== self::Folder,
            default => false,
        };
    }
}
