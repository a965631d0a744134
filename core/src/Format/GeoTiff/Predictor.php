<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\SampleType;

/** Undoes differencing. TIFF 6.0 section 14; Adobe Photoshop TIFF Technical Note 3 (2005) for floating point. */
final class Predictor
{
    /** Samples unpacked at a time, but for rows that are longer. */
    private const PIECE = 1 << 16;

    /**
     * Horizontal differencing: each sample holds the difference to the one of the same band to its left.
     *
     * @param  string  $bytes  little-endian samples, whole rows
     * @param  int  $rowSamples  samples in a row (pixels times bands)
     * @param  int  $stride  bands per pixel
     */
    public static function horizontal(string $bytes, int $size, int $rowSamples, int $stride): string
    {
        $out = '';
        foreach (self::pieces($bytes, $rowSamples * $size, $size) as $piece) {
            $out .= match ($size) {
                1 => self::summed($piece, SampleType::UInt8, $rowSamples, $stride, 0xFF),
                2 => self::summed($piece, SampleType::UInt16, $rowSamples, $stride, 0xFFFF),
                4 => self::summed($piece, SampleType::UInt32, $rowSamples, $stride, 0xFFFFFFFF),
                default => pack('P*', ...self::sum64(array_values((array) unpack('P*', $piece)), $rowSamples, $stride)),
            };
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
        $out = '';
        foreach (self::pieces($bytes, $rowSamples * $size, 1) as $piece) {
            $planes = self::sum(Codec::codes($piece, SampleType::UInt8), strlen($piece), $rowSamples * $size, $stride, 0xFF);
            $out .=
                $size === 4
                    ? Codec::encodeCodes(self::planes4($planes, strlen($piece), $rowSamples), SampleType::UInt32)
                    : pack('P*', ...self::planes8($planes, strlen($piece), $rowSamples));
        }

        return $out;
    }

    /** @return iterable<string> some whole rows each; what is left below is dropped */
    private static function pieces(string $bytes, int $rowBytes, int $size): iterable
    {
        $step = max(1, intdiv(self::PIECE * $size, $rowBytes)) * $rowBytes;
        for ($p = 0, $end = strlen($bytes) - strlen($bytes) % $rowBytes; $p < $end; $p += $step) {
            yield substr($bytes, $p, min($step, $end - $p));
        }
    }

    private static function summed(string $piece, SampleType $type, int $rowSamples, int $stride, int $mask): string
    {
        $samples = Codec::codes($piece, $type);

        return Codec::encodeCodes(self::sum($samples, count($samples), $rowSamples, $stride, $mask), $type);
    }

    /**
     * $count samples in rows of $rowSamples, each the sum of what it holds and the one $stride before, by $mask.
     *
     * @param  list<int>  $samples
     * @return list<int>
     */
    private static function sum(array $samples, int $count, int $rowSamples, int $stride, int $mask): array
    {
        for ($row = 0; $row < $count; $row += $rowSamples) {
            for ($i = $row + $stride, $end = $row + $rowSamples; $i < $end; $i++) {
                $samples[$i] = ($samples[$i] + $samples[$i - $stride]) & $mask;
            }
        }

        return $samples;
    }

    /**
     * Sums of 64-bit integers that wrap around: done in halves, since PHP's would turn to floats.
     *
     * @param  list<int>  $samples
     * @return list<int>
     */
    private static function sum64(array $samples, int $rowSamples, int $stride): array
    {
        for ($row = 0, $count = count($samples); $row < $count; $row += $rowSamples) {
            for ($i = $row + $stride, $end = $row + $rowSamples; $i < $end; $i++) {
                $a = $samples[$i];
                $b = $samples[$i - $stride];
                $low = ($a & 0xFFFFFFFF) + ($b & 0xFFFFFFFF);
                $high = (($a >> 32) & 0xFFFFFFFF) + (($b >> 32) & 0xFFFFFFFF) + ($low >> 32);
                $samples[$i] = ($low & 0xFFFFFFFF) | (($high & 0xFFFFFFFF) << 32);
            }
        }

        return $samples;
    }

    /**
     * @param  list<int>  $planes  four planes of bytes in each row
     * @return list<int>
     */
    private static function planes4(array $planes, int $bytes, int $count): array
    {
        $out = array_fill(0, $bytes >> 2, 0);
        for ($row = 0, $k = 0; $row < $bytes; $row += 4 * $count) {
            for ($a = $row, $b = $a + $count, $c = $b + $count, $d = $c + $count; $d < $row + 4 * $count; $a++, $b++, $c++, $d++, $k++) {
                $out[$k] = ($planes[$a] << 24) | ($planes[$b] << 16) | ($planes[$c] << 8) | $planes[$d];
            }
        }

        return $out;
    }

    /**
     * @param  list<int>  $planes  eight planes of bytes in each row
     * @return list<int>
     */
    private static function planes8(array $planes, int $bytes, int $count): array
    {
        $out = array_fill(0, $bytes >> 3, 0);
        for ($row = 0, $k = 0; $row < $bytes; $row += 8 * $count) {
            for ($i = $row; $i < $row + $count; $i++, $k++) {
                $word = 0;
                for ($plane = 0; $plane < 8; $plane++) {
                    $word = ($word << 8) | $planes[$plane * $count + $i];
                }
                $out[$k] = $word;
            }
        }

        return $out;
    }
}
