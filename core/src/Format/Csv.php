<?php

namespace Chorometra\Core\Format;

/** Tables as CSV (RFC 4180), safe to open in a spreadsheet. */
final class Csv
{
    /** @param  list<list<string|int|float|bool|null>>  $rows */
    public static function of(array $rows): string
    {
        return implode('', array_map(fn (array $row): string => implode(',', array_map(self::cell(...), $row))."\n", $rows));
    }

    private static function cell(string|int|float|bool|null $cell): string
    {
        $text = (string) $cell;
        // as many digits as bring the number back
        if (is_float($cell) && is_finite($cell) && (float) $text !== $cell) {
            $text = (string) json_encode($cell);
        }
        // spreadsheets take a text that begins so for a formula, and run it
        if (is_string($cell) && ! is_numeric($cell) && preg_match('/^[=+\-@\t\r]/', $text)) {
            $text = "'$text";
        }

        return strpbrk($text, "\",\n\r") === false ? $text : '"'.str_replace('"', '""', $text).'"';
    }
}
