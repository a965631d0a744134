<?php

namespace Chorometra\Core\Format\GeoTiff;

/** Deflate (zlib, RFC 1950) at level 1. */
final class Pack
{
    private const PROBE = 8192;

    /**
     * Searching for repetitions takes half as long again and finds little in most measured values: whether it makes the tile smaller
     * by an eighth is seen on a piece from the middle. The choice depends on the tile alone, so the bytes are the same whoever packs them.
     */
    public static function deflate(string $bytes): string
    {
        $piece = substr($bytes, max(0, (strlen($bytes) - self::PROBE) >> 1) & ~7, self::PROBE);
        $plain = self::with($piece, ZLIB_RLE);
        $searched = (string) gzcompress($piece, 1);

        return strlen($plain) * 7 <= strlen($searched) * 8 ? self::with($bytes, ZLIB_RLE) : (string) gzcompress($bytes, 1);
    }

    /** A gzip body (RFC 1952) for measured values, made fast. */
    public static function gzip(string $bytes): string
    {
        return self::with($bytes, ZLIB_RLE, ZLIB_ENCODING_GZIP);
    }

    private static function with(string $bytes, int $strategy, int $encoding = ZLIB_ENCODING_DEFLATE): string
    {
        $context = deflate_init($encoding, ['level' => 1, 'strategy' => $strategy]);
        assert($context !== false);

        return (string) deflate_add($context, $bytes, ZLIB_FINISH);
    }
}
