<?php

namespace Chorometra\Core\Format\GeoTiff;

/** Unpacks what PHP has nothing for, with the libraries that every Debian carries: libzstd and liblzma. */
final class SystemLibraries
{
    private const ZSTD = 50000;

    private const LZMA = 34925;

    /** Bytes that unpacking LZMA may take. */
    private const MOST_MEMORY = 256 << 20;

    private const HEADERS = [
        self::ZSTD => ['libzstd.so.1', 'size_t ZSTD_decompress(void *to, size_t room, const char *from, size_t size); unsigned ZSTD_isError(size_t code);'],
        self::LZMA => [
            'liblzma.so.5',
            'int lzma_stream_buffer_decode(uint64_t *memory, uint32_t flags, const void *allocator, const uint8_t *in, size_t *in_at, size_t '
                .'in_size, uint8_t *out, size_t *out_at, size_t out_size);',
        ],
    ];

    /** @var array<int, \FFI|null> by the number of the compression */
    private static array $loaded = [];

    /** Whether a compression of TIFF is one of these, and its library is there. */
    public static function unpacks(int $compression): bool
    {
        return isset(self::HEADERS[$compression]) && self::library($compression) !== null;
    }

    /** The file of the library that a compression needs; null where it needs none of them. */
    public static function file(int $compression): ?string
    {
        return self::HEADERS[$compression][0] ?? null;
    }

    /** At most $most bytes; null where the data are broken. */
    public static function unpack(int $compression, string $bytes, int $most): ?string
    {
        $library = self::library($compression);
        $out = \FFI::cdef()->new('uint8_t['.max(1, $most).']');
        if ($library === null || $out === null) {
            return null;
        }
        if ($compression === self::ZSTD) {
            // @phpstan-ignore method.notFound (told by the header)
            $size = $library->ZSTD_decompress($out, $most, $bytes, strlen($bytes));

            // @phpstan-ignore method.notFound
            return $library->ZSTD_isError($size) !== 0 ? null : \FFI::string($out, $size);
        }
        $c = \FFI::cdef();
        [$memory, $read, $written] = [$c->new('uint64_t[1]'), $c->new('size_t[1]'), $c->new('size_t[1]')];
        $in = $c->new('uint8_t['.max(1, strlen($bytes)).']');
        if ($memory === null || $read === null || $written === null || $in === null) {
            return null;
        }
        \FFI::memcpy($in, $bytes, strlen($bytes));
        $memory[0] = self::MOST_MEMORY;
        // @phpstan-ignore method.notFound
        $state = $library->lzma_stream_buffer_decode($memory, 0, null, $in, $read, strlen($bytes), $out, $written, $most);

        return $state !== 0 ? null : \FFI::string($out, $written[0]);
    }

    private static function library(int $compression): ?\FFI
    {
        if (! array_key_exists($compression, self::$loaded)) {
            [$file, $header] = self::HEADERS[$compression];
            try {
                self::$loaded[$compression] = \FFI::cdef($header, $file);
            } catch (\FFI\Exception) {
                self::$loaded[$compression] = null;
            }
        }

        return self::$loaded[$compression];
    }
}
