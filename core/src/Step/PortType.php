<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Format\Document;

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
    /** Measures of segments, a NumPy archive. */
    case Measures = 'measures';
    /** Which segments joined at which limit, a NumPy archive. */
    case Tree = 'tree';
    /** Classes with names and colours, JSON. */
    case Legend = 'legend';
    /** What was learnt from training areas, JSON. */
    case Model = 'model';
    /** Questions that sort segments into classes, JSON. */
    case Key = 'key';
    /** Steps with slots and knobs, JSON. */
    case Method = 'method';
    /** A trained network, safetensors. */
    case Detector = 'detector';
    /** A file as it was delivered: archive, picture, folder. */
    case File = 'file';
    /** A folder of images. */
    case Folder = 'folder';

    public function isRaster(): bool
    {
        return $this === self::Image || $this === self::Classes || $this === self::Segments;
    }

    /** JSON that is held to a schema. */
    public function isDocument(): bool
    {
        return in_array($this->value, Document::TYPES, true);
    }

    /** A table whose rows are read by windows. */
    public function hasRows(): bool
    {
        return $this === self::Table || $this === self::Measures;
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
            self::Measures => 'measures of segments',
            self::Tree => 'a merge tree',
            self::Legend => 'a legend',
            self::Model => 'a model',
            self::Key => 'a key',
            self::Method => 'a method',
            self::Detector => 'a detector',
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
            $this === self::Measures, $this === self::Tree => '.npz',
            $this->isDocument() => '.json',
            $this === self::Detector => '.safetensors',
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
            // a matrix or a list of tie points is read as a table; measures are one too
            self::Table => $other === self::Measures,
            // what is in a file of features is seen when it is read
            self::Points, self::Outlines => $other === self::Features,
            self::File => ! $other->isRaster() && $other !== self::Folder,
            default => false,
        };
    }
}
