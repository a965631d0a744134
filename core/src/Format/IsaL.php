<?php

namespace Chorometra\Core\Format;

/**
 * zlib streams packed by the system's ISA-L, which takes a quarter to a half of libdeflate's time over what is measured, for streams of about
 * the same length. It only packs: libdeflate unpacks faster.
 */
final class IsaL
{
    /** Codes made for each block, with a quick search; the next level takes as long again and finds no more. */
    private const LEVEL = 2;

    private const ZLIB = 3;

    /** Room for the search; less of it takes longer. */
    private const SEARCH = 300_000;

    private const KEPT = 8 << 20;

    /**
     * Where the stream lies in every process. The library (2.30) hashes the stream's address instead of the third byte of what it packs, so
     * where the stream lies decides now and then which of two equal matches is taken: the same samples, but other bytes in one run of some dozens.
     */
    private const PLACE = 0x5100_0000_0000;

    /** Memory to read and to write, of this process, at this place and nowhere else (mmap's PROT and MAP, the same on every Linux we run on). */
    private const READ_WRITE = 3;

    private const PRIVATE_ANONYMOUS_AT_PLACE = 0x10_0022;

    /** The library's state after the fields that are told, with room to spare. */
    private const HEADER = <<<'C'
        struct stream {
            uint8_t *next_in; uint32_t avail_in; uint32_t total_in; uint8_t *next_out; uint32_t avail_out; uint32_t total_out; void *tables;
            uint32_t level; uint32_t level_buf_size; uint8_t *level_buf; uint16_t end_of_stream; uint16_t flush; uint16_t gzip_flag;
            uint16_t hist_bits; uint8_t state[262144];
        };
        void isal_deflate_stateless_init(struct stream *stream);
        int isal_deflate_stateless(struct stream *stream);
        C;

    private static \FFI|false|null $library = null;

    private static ?\FFI\CData $stream = null;

    private static ?\FFI\CData $search = null;

    /** @var array{\FFI\CData|null, \FFI\CData|null, int}|null what goes in, what comes out, and room for how much */
    private static ?array $buffers = null;

    /** Whether the library is there. */
    public static function isThere(): bool
    {
        return self::library() !== null;
    }

    /** Null where the library is not there, or can't. */
    public static function pack(string $bytes): ?string
    {
        $library = self::library();
        $size = strlen($bytes);
        if ($library === null || $size >> 30 > 0) {
            return null;
        }
        [$in, $out, $room] = self::buffers($size);
        assert(self::$stream !== null && self::$search !== null);
        \FFI::memcpy($in, $bytes, $size);
        $stream = self::$stream;
        // @phpstan-ignore method.notFound (told by the header)
        $library->isal_deflate_stateless_init(\FFI::addr(self::$stream));
        $stream->next_in = \FFI::addr($in[0]);
        $stream->avail_in = $size;
        $stream->next_out = \FFI::addr($out[0]);
        $stream->avail_out = $room;
        $stream->level = self::LEVEL;
        $stream->level_buf = \FFI::addr(self::$search[0]);
        $stream->level_buf_size = self::SEARCH;
        $stream->end_of_stream = 1;
        $stream->gzip_flag = self::ZLIB;

        // @phpstan-ignore method.notFound
        return $library->isal_deflate_stateless(\FFI::addr(self::$stream)) === 0 ? \FFI::string($out, $stream->total_out) : null;
    }

    /**
     * For what goes in and what comes out, and how much that may be; what a tile takes is kept.
     *
     * @return array{\FFI\CData, \FFI\CData, int}
     */
    private static function buffers(int $size): array
    {
        if (self::$buffers === null || self::$buffers[2] < $size || self::$buffers[2] > self::KEPT) {
            $most = max(1 << 18, $size);
            $room = $most + ($most >> 8) + 1024;
            $c = \FFI::cdef();
            self::$buffers = [$c->new("uint8_t[$most]"), $c->new("uint8_t[$room]"), $most];
        }
        [$in, $out, $most] = self::$buffers;
        assert($in !== null && $out !== null);

        return [$in, $out, $most + ($most >> 8) + 1024];
    }

    private static function library(): ?\FFI
    {
        if (self::$library === null) {
            try {
                $library = \FFI::cdef(self::HEADER, 'libisal.so.2');
                self::$stream = self::placed($library);
                self::$library = self::$stream === null ? false : $library;
                self::$search = \FFI::cdef()->new('uint8_t['.self::SEARCH.']');
            } catch (\FFI\Exception) {
                self::$library = false;
            }
        }

        return self::$library ?: null;
    }

    /** The stream at its place; null where something else lies there. */
    private static function placed(\FFI $library): ?\FFI\CData
    {
        $kernel = \FFI::cdef('intptr_t mmap(intptr_t place, size_t bytes, int protection, int flags, int file, long offset);');
        $type = $library->type('struct stream');
        assert($type !== null);
        // @phpstan-ignore method.notFound (told by the header)
        $place = $kernel->mmap(self::PLACE, \FFI::sizeof($type), self::READ_WRITE, self::PRIVATE_ANONYMOUS_AT_PLACE, -1, 0);

        return $place === self::PLACE ? ($library->cast('struct stream *', $place)[0] ?? null) : null;
    }
}
