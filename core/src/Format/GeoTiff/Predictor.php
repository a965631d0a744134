<?php

namespace Chorometra\Core\Format\GeoTiff;

/** Undoes differencing. TIFF 6.0 section 14; Adobe Photoshop TIFF Technical Note 3 (2005) for floating point. */
final class Predictor
{
    /**
     * Horizontal differencing: each sample holds the difference to the one of the same band to its left.
     *
     * @param  string  $bytes  little-endian samples, whole rows
     * @param  int  $rowSamples  samples in a row (pixels times bands)
     * @param  int  $stride  bands per pixel
     */
    public static function horizontal(string $bytes, int $size, int $rowSamples, int $stride): string
    {
        [$code, $mask] = match ($size) {
            1 => ['C*', 0xFF],
            2 => ['v*', 0xFFFF],
            4 => ['V*', 0xFFFFFFFF],
            default => ['P*', -1],
        };
        $rowBytes = $rowSamples * $size;
        $out = '';
        for ($p = 0, $length = strlen($bytes); $p + $rowBytes <= $length; $p += $rowBytes) {
            $row = array_values((array) unpack($code, substr($bytes, $p, $rowBytes)));
            $out .= pack($code, ...($mask === -1 ? self::sum64($row, $rowSamples, $stride) : self::sum($row, $rowSamples, $stride, $mask)));
        }

        return $out;
    }

    /**
     * Floating point: rows of byte planes, most significant first, differenced byte by byte.
     *
     * @return string little-endian samples
     */
    public static function floatingPoint(string $bytes, int $size, int $rowSamples, int $stride): string
    {
        $rowBytes = $rowSamples * $size;
        $out = '';
        for ($p = 0, $length = strlen($bytes); $p + $rowBytes <= $length; $p += $rowBytes) {
            $row = self::sum(array_values((array) unpack('C*', substr($bytes, $p, $rowBytes))), $rowBytes, $stride, 0xFF);
            $out .= $size === 4 ? pack('V*', ...self::planes4($row, $rowSamples)) : pack('P*', ...self::planes8($row, $rowSamples));
        }

        return $out;
    }

    /**
     * @param  list<int>  $row
     * @return list<int>
     */
    private static function sum(array $row, int $count, int $stride, int $mask): array
    {
        for ($i = $stride; $i < $count; $i++) {
            $row[$i] = ($row[$i] + $row[$i - $stride]) & $mask;
        }

        return $row;
    }

    /**
     * Sums of 64-bit integers that wrap around: done in halves, since PHP's would turn to floats.
     *
     * @param  list<int>  $row
     * @return list<int>
     */
    private static function sum64(array $row, int $count, int $stride): array
    {
        for ($i = $stride; $i < $count; $i++) {
            $a = $row[$i];
            $b = $row[$i - $stride];
            $low = ($a & 0xFFFFFFFF) + ($b & 0xFFFFFFFF);
            $high = (($a >> 32) & 0xFFFFFFFF) + (($b >> 32) & 0xFFFFFFFF) + ($low >> 32);
            $row[$i] = ($low & 0xFFFFFFFF) | (($high & 0xFFFFFFFF) << 32);
        }

        return $row;
    }

    /**
     * @param  list<int>  $row
     * @return list<int>
     */
    private static function planes4(array $row, int $count): array
    {
        $out = array_fill(0, $count, 0);
        $second = 2 * $count;
        $third = 3 * $count;
        for ($i = 0; $i < $count; $i++) {
            $out[$i] = ($row[$i] << 24) | ($row[$i + $count] << 16) | ($row[$i + $second] << 8) | $row[$i + $third];
        }

        return $out;
    }

    /**
     * @param  list<int>  $row
     * @return list<int>
     */
    private static function planes8(array $row, int $count): array
    {
        $out = array_fill(0, $count, 0);
        for ($i = 0; $i < $count; $i++) {
            $word = 0;
            for ($plane = 0; $plane < 8; $plane++) {
                $word = ($word << 8) | $row[$plane * $count + $i];
            }
            $out[$i] = $word;
        }

        return $out;
    }
}
