<?php

namespace Chorometra\Core\Format\GeoTiff;

/** TIFF 6.0 and GeoTIFF 1.1 tag numbers that are read or written. */
final class Tag
{
    public const NEW_SUBFILE_TYPE = 254;

    public const WIDTH = 256;

    public const HEIGHT = 257;

    public const BITS_PER_SAMPLE = 258;

    public const COMPRESSION = 259;

    public const PHOTOMETRIC = 262;

    public const FILL_ORDER = 266;

    public const STRIP_OFFSETS = 273;

    public const SAMPLES_PER_PIXEL = 277;

    public const ROWS_PER_STRIP = 278;

    public const STRIP_BYTE_COUNTS = 279;

    public const PLANAR = 284;

    public const SOFTWARE = 305;

    public const PREDICTOR = 317;

    public const COLOUR_MAP = 320;

    public const TILE_WIDTH = 322;

    public const TILE_HEIGHT = 323;

    public const TILE_OFFSETS = 324;

    public const TILE_BYTE_COUNTS = 325;

    public const EXTRA_SAMPLES = 338;

    public const SAMPLE_FORMAT = 339;

    public const JPEG_TABLES = 347;

    public const PIXEL_SCALE = 33550;

    public const TIE_POINT = 33922;

    public const TRANSFORMATION = 34264;

    public const GEO_KEYS = 34735;

    public const GEO_DOUBLES = 34736;

    public const GEO_TEXT = 34737;

    /** Not in the standard, but how everybody writes it: the nodata value as text. */
    public const NODATA = 42113;
}
