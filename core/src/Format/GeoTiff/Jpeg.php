<?php

namespace Chorometra\Core\Format\GeoTiff;

/** Blocks packed as JPEG (TIFF Technical Note 2), unpacked by GD. */
final class Jpeg
{
    /**
     * Samples of a block, pixel by pixel; null where the data are broken or of another size.
     *
     * @param  string  $tables  that all blocks share: a stream of its own, or nothing
     * @param  int  $samples  1 for grey, 3 for colours
     */
    public static function unpack(string $bytes, string $tables, int $samples, int $width, int $rows): ?string
    {
        // the tables without their end, the picture without its start
        $whole = strlen($tables) > 4 && str_starts_with($bytes, "\xFF\xD8") ? substr($tables, 0, -2).substr($bytes, 2) : $bytes;
        $size = @getimagesizefromstring($whole);
        if (
            $size === false ||
            $size[2] !== IMAGETYPE_JPEG ||
            $size[0] !== $width ||
            $size[1] < $rows ||
            $size[1] > $rows + 4096 ||
            ($size['channels'] ?? 3) !== $samples
        ) {
            return null;
        }
        $picture = @imagecreatefromstring($whole);
        $stream = fopen('php://memory', 'w+');
        if ($picture === false || $stream === false) {
            return null;
        }
        // rows of a BMP run from the last to the first, blue first: mirrored and read backwards they are red first, from the left
        imageflip($picture, IMG_FLIP_HORIZONTAL);
        imagebmp($picture, $stream, false);
        rewind($stream);
        $bmp = (string) stream_get_contents($stream);
        $start = ((array) unpack('V', substr($bmp, 10, 4)))[1];
        $row = ($width * 3 + 3) & ~3;
        $out = '';
        for ($k = $size[1] - 1; $k >= $size[1] - $rows; $k--) {
            $out .= strrev(substr($bmp, $start + $k * $row, 3 * $width));
        }

        return $samples === 3 ? $out : implode('', array_map(fn (string $pixel): string => $pixel[0], str_split($out, 3)));
    }
}
