<?php

namespace Chorometra\Core\Format;

/**
 * zlib streams (RFC 1950) and gzip (RFC 1952), unpacked at once by the system's libdeflate, packed by ISA-L or libdeflate; by PHP's zlib where
 * neither is there, which takes several times as long. Level 1: what is measured does not repeat itself, and searching longer finds little.
 */
final class Deflate
{
    private const LEVEL = 1;

    private const KEPT = 8 << 20;

    private const HEADER = <<<'C'
        void *libdeflate_alloc_compressor(int level);
        size_t libdeflate_zlib_compress_bound(void *packer, size_t size);
        size_t libdeflate_zlib_compress(void *packer, const char *in, size_t size, void *out, size_t room);
        size_t libdeflate_gzip_compress_bound(void *packer, size_t size);
        size_t libdeflate_gzip_compress(void *packer, const char *in, size_t size, void *out, size_t room);
        void *libdeflate_alloc_decompressor(void);
        int libdeflate_zlib_decompress(void *unpacker, const char *in, size_t size, void *out, size_t room, size_t *made);
        C;

    private static \FFI|false|null $library = null;

    private static ?\FFI\CData $packer = null;

    private static ?\FFI\CData $unpacker = null;

    private static ?\FFI\CData $buffer = null;

    private static ?\FFI\CData $made = null;

    private static int $room = 0;

    /** Whether the fast libraries are there. */
    public static function isFast(): bool
    {
        return self::library() !== null && IsaL::isThere();
    }

    public static function pack(string $bytes): string
    {
        return IsaL::pack($bytes) ?? self::packed('zlib', $bytes) ?? (string) gzcompress($bytes, self::LEVEL);
    }

    public static function gzip(string $bytes): string
    {
        return self::packed('gzip', $bytes) ?? (string) gzencode($bytes, self::LEVEL);
    }

    /** At most $most bytes; null where the stream is broken or holds more. */
    public static function unpack(string $bytes, int $most): ?string
    {
        $library = self::library();
        if ($library === null) {
            $plain = @gzuncompress($bytes, $most);

            return $plain === false ? null : $plain;
        }
        $out = self::buffer($most);
        assert(self::$made !== null);
        // @phpstan-ignore method.notFound
        $state = $library->libdeflate_zlib_decompress(self::$unpacker, $bytes, strlen($bytes), $out, $most, self::$made);

        return $state === 0 ? \FFI::string($out, self::$made[0]) : null;
    }

    /** By the fast library, where it is there. */
    private static function packed(string $format, string $bytes): ?string
    {
        $library = self::library();
        if ($library === null) {
            return null;
        }
        $out = self::buffer($library->{"libdeflate_{$format}_compress_bound"}(self::$packer, strlen($bytes)));

        return \FFI::string($out, $library->{"libdeflate_{$format}_compress"}(self::$packer, $bytes, strlen($bytes), $out, self::$room));
    }

    private static function library(): ?\FFI
    {
        if (self::$library === null) {
            try {
                $library = \FFI::cdef(self::HEADER, 'libdeflate.so.0');
                // @phpstan-ignore method.notFound
                self::$packer = $library->libdeflate_alloc_compressor(self::LEVEL);
                // @phpstan-ignore method.notFound
                self::$unpacker = $library->libdeflate_alloc_decompressor();
                self::$made = \FFI::cdef()->new('size_t[1]');
                self::$library = $library;
            } catch (\FFI\Exception) {
                self::$library = false;
            }
        }

        return self::$library ?: null;
    }

    private static function buffer(int $bytes): \FFI\CData
    {
        // what a tile takes is kept, what a whole image in one strip takes is not
        if (self::$buffer === null || self::$room < $bytes || self::$room > self::KEPT) {
            self::$room = max(1 << 19, $bytes);
            self::$buffer = \FFI::cdef()->new('uint8_t['.self::$room.']');
            assert(self::$buffer !== null);
        }

        return self::$buffer;
    }
}
