<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;

/** Images from whichever open format a file is in. A format is one class, and one line here. */
final class Rasters
{
    /** @var list<class-string<RasterReader>> */
    private const READERS = [GeoTiffImage::class, PlacedPicture::class];

    /** What kind of image it is by its first bytes; null for none of ours. */
    public static function format(string $path): ?string
    {
        return self::reader($path)[1] ?? null;
    }

    /** @throws Problem where it is no image that can be read */
    public static function described(string $path): RasterSpec
    {
        return self::known($path)::described($path);
    }

    /** @throws Problem where it is no image that can be read */
    public static function open(string $path): Image
    {
        return self::known($path)::open($path);
    }

    /** @return class-string<RasterReader> */
    private static function known(string $path): string
    {
        return self::reader($path)[0] ?? throw Problem::input(basename($path).' is no image that can be read: GeoTIFF, PNG or JPEG.', 'image');
    }

    /** @return array{class-string<RasterReader>, string}|null */
    private static function reader(string $path): ?array
    {
        $head = is_file($path) ? (string) @file_get_contents($path, false, null, 0, 512) : '';
        foreach (self::READERS as $reader) {
            $format = $reader::format($head);
            if ($format !== null) {
                return [$reader, $format];
            }
        }

        return null;
    }
}
