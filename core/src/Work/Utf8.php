<?php

namespace Chorometra\Core\Work;

/** Texts from outside, which may be of any encoding. */
final class Utf8
{
    private const MARK = "\xEF\xBB\xBF";

    /** As it is where it is UTF-8; UTF-16 with its mark as that; else read as Windows-1252, the usual other one. */
    public static function of(string $text): string
    {
        $wide = self::wide($text);

        return match (true) {
            $wide !== null => (string) mb_convert_encoding(preg_replace('/^(\xFF\xFE|\xFE\xFF)/', '', $text) ?? '', 'UTF-8', $wide),
            mb_check_encoding($text, 'UTF-8') => $text,
            default => (string) mb_convert_encoding($text, 'UTF-8', 'Windows-1252'),
        };
    }

    /** The same, or null where it holds bytes that are no text in any of these. */
    public static function orNothing(string $text): ?string
    {
        $text = self::of($text);

        return preg_match('/[\x00-\x08\x0E-\x1F\x7F-\x9F]/u', $text) === 0 ? $text : null;
    }

    /**
     * A file to be read as text: one of UTF-16 as the UTF-8 that it is the same as. Its mark is passed over.
     *
     * @return resource|false
     */
    public static function open(string $path)
    {
        $file = @fopen($path, 'rb');
        if ($file === false) {
            return false;
        }
        $wide = self::wide((string) fread($file, 64));
        if ($wide === null) {
            rewind($file);
            fread($file, 3) === self::MARK || rewind($file);

            return $file;
        }
        // on the disk once it is large
        $text = fopen('php://temp/maxmemory:'.(8 << 20), 'w+b');
        if ($text === false) {
            return false;
        }
        rewind($file);
        in_array(fread($file, 2), ["\xFF\xFE", "\xFE\xFF"], true) || rewind($file);
        stream_filter_append($file, "convert.iconv.$wide.UTF-8", STREAM_FILTER_READ);
        @stream_copy_to_stream($file, $text);
        rewind($text);

        return $text;
    }

    /** Which UTF-16 a text begins in: by its mark, or where every other byte is 0 as in Latin letters; null for none. */
    private static function wide(string $head): ?string
    {
        return match (true) {
            str_starts_with($head, "\xFF\xFE"), preg_match('/^([^\x00]\x00){4}/', $head) === 1 => 'UTF-16LE',
            str_starts_with($head, "\xFE\xFF"), preg_match('/^(\x00[^\x00]){4}/', $head) === 1 => 'UTF-16BE',
            default => null,
        };
    }
}
