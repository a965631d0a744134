<?php

namespace Chorometra\Core\Work;

/** Texts from outside, which may be of any encoding. */
final class Utf8
{
    /** As it is where it is UTF-8; else read as Windows-1252, the usual other one. */
    public static function of(string $text): string
    {
        return mb_check_encoding($text, 'UTF-8') ? $text : (string) mb_convert_encoding($text, 'UTF-8', 'Windows-1252');
    }
}
