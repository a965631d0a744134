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

    /** Measured values made for one reader, fast. */
    public static function quickly(string $bytes): string
    {
        return self::with($bytes, ZLIB_RLE);
    }

    private static function with(string $bytes, int $strategy): string
    {
        $context = deflate_init(ZLIB_ENCODING_DEFLATE, ['level' => 1, 'strategy' => $strategy]);
        assert($context !== false);

        return (string) deflate_add($context, $bytes, ZLIB_FINISH);
    }
}
