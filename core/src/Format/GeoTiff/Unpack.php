<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Format\Deflate;

/** Compressed block bytes to plain ones. Each function returns null where the data are broken. */
final class Unpack
{
    /** The bits of each byte turned round: TIFF 6.0 section 8, FillOrder 2. */
    public static function reversed(string $bytes): string
    {
        static $to = null;
        $to ??= implode('', array_map(fn (int $byte): string => chr((int) bindec(strrev(sprintf('%08b', $byte)))), range(0, 255)));

        return strtr($bytes, implode('', array_map(chr(...), range(0, 255))), $to);
    }

    /** zlib stream (RFC 1950), at most $most bytes. */
    public static function deflate(string $bytes, int $most): ?string
    {
        return Deflate::unpack($bytes, $most);
    }

    /** PackBits, TIFF 6.0 section 9. */
    public static function packBits(string $bytes, int $most): ?string
    {
        $out = '';
        $length = strlen($bytes);
        $done = 0;
        for ($p = 0; $p < $length && $done < $most;) {
            $code = ord($bytes[$p++]);
            if ($code < 128) {
                if ($p + $code >= $length) {
                    return null;
                }
                $out .= substr($bytes, $p, $code + 1);
                $p += $code + 1;
                $done += $code + 1;
            } elseif ($code > 128) {
                if ($p >= $length) {
                    return null;
                }
                $out .= str_repeat($bytes[$p++], 257 - $code);
                $done += 257 - $code;
            }
        }

        return $done > $most ? substr($out, 0, $most) : $out;
    }

    /** LZW with codes of 9 to 12 bits, most significant bit first, TIFF 6.0 section 13. */
    public static function lzw(string $bytes, int $most): ?string
    {
        $base = [];
        for ($i = 0; $i < 256; $i++) {
            $base[] = chr($i);
        }
        $base[] = '';
        $base[] = '';
        $table = $base;
        $next = 258;
        /** @var int $width */
        $width = 9;
        $limit = 511;
        $held = 0;
        $bits = 0;
        /** @var string|null $previous */
        $previous = null;
        $pieces = [];
        $done = 0;
        $length = strlen($bytes);
        for ($p = 0; $done < $most;) {
            while ($bits < $width) {
                if ($p >= $length) {
                    return $done > 0 ? implode('', $pieces) : null;
                }
                $held = (($held << 8) | ord($bytes[$p++])) & 0xFFFFFF;
                $bits += 8;
            }
            $bits -= $width;
            $code = ($held >> $bits) & ((1 << $width) - 1);
            if ($code === 257) {
                break;
            }
            if ($code === 256) {
                $table = $base;
                $next = 258;
                $width = 9;
                $limit = 511;
                $previous = null;

                continue;
            }
            if ($previous === null) {
                if ($code > 255) {
                    return null;
                }
                $text = $base[$code];
            } else {
                if ($code < $next) {
                    $text = $table[$code];
                } elseif ($code === $next) {
                    $text = $previous.$previous[0];
                } else {
                    return null;
                }
                if ($next < 4096) {
                    $table[$next] = $previous.$text[0];
                    $next++;
                }
                // the writer's table is one entry ahead: the code grows one early
                if ($next >= $limit && $width < 12) {
                    $width++;
                    $limit = (1 << $width) - 1;
                }
            }
            $pieces[] = $text;
            $done += strlen($text);
            $previous = $text;
        }
        $out = implode('', $pieces);

        return $done > $most ? substr($out, 0, $most) : $out;
    }
}
