<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Work\Files;

/** An 8-bit image of one or three bands as PNG (ISO/IEC 15948) with alpha, row by row, and the world file beside it. */
final class PngWriter
{
    /** @throws Problem where bands or samples are more than a picture can hold */
    public static function write(string $path, Image $image): void
    {
        $spec = $image->spec();
        $grid = $spec->grid;
        $bands = count($spec->bands);
        if ($spec->type !== SampleType::UInt8 || ($bands !== 1 && $bands !== 3)) {
            throw Problem::call(basename($path).' can hold one or three bands of 8 bits only.', 'result');
        }
        Files::replace($path, function ($handle, string $path) use ($image, $grid): void {
            Files::put($handle, "\x89PNG\r\n\x1a\n".self::chunk('IHDR', pack('NNCCCCC', $grid->width, $grid->height, 8, 6, 0, 0, 0)), $path);
            $deflate = deflate_init(ZLIB_ENCODING_DEFLATE, ['level' => 6]);
            assert($deflate !== false);
            for ($row = 0; $row < $grid->height; $row += 16) {
                $rows = min(16, $grid->height - $row);
                $packed = (string) deflate_add($deflate, self::rows($image, $row, $rows), ZLIB_NO_FLUSH);
                if ($packed !== '') {
                    Files::put($handle, self::chunk('IDAT', $packed), $path);
                }
            }
            Files::put($handle, self::chunk('IDAT', (string) deflate_add($deflate, '', ZLIB_FINISH)).self::chunk('IEND', ''), $path);
        });
        Files::write(preg_replace('/\.png$/i', '', $path).'.pgw', PlacedPicture::worldFile($grid));
    }

    private static function rows(Image $image, int $row, int $rows): string
    {
        $spec = $image->spec();
        $width = $spec->grid->width;
        $window = new Window(0, $row, $width, $rows);
        $planes = array_map(fn (int $band): array => Codec::codes($image->read($band, $window), SampleType::UInt8), array_keys($spec->bands));
        $nodata = $spec->nodata === null ? -1 : (int) $spec->nodata;
        $palette = [];
        foreach ($spec->legend->classes ?? [] as $code => $class) {
            $palette[$code] = (int) hexdec(ltrim($class['colour'], '#'));
        }
        $single = count($planes) === 1;
        $out = '';
        for ($y = 0; $y < $rows; $y++) {
            $words = [];
            for ($i = $y * $width, $end = $i + $width; $i < $end; $i++) {
                $a = $planes[0][$i];
                if ($spec->legend !== null) {
                    $rgb = $palette[$a] ?? -1;
                    $words[] = $rgb < 0 ? 0 : ($rgb << 8) | 255;
                } elseif ($single) {
                    $words[] = $a === $nodata ? 0 : ($a << 24) | ($a << 16) | ($a << 8) | 255;
                } else {
                    $words[] =
                        $a === $nodata && $planes[1][$i] === $nodata && $planes[2][$i] === $nodata
                            ? 0
                            : ($a << 24) | ($planes[1][$i] << 16) | ($planes[2][$i] << 8) | 255;
                }
            }
            $out .= "\0".pack('N*', ...$words);
        }

        return $out;
    }

    private static function chunk(string $type, string $data): string
    {
        return pack('N', strlen($data)).$type.$data.pack('N', crc32($type.$data));
    }
}
