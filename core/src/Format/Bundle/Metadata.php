<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Work\Utf8;

/** A metadata text in KEY = VALUE notation with GROUP … END_GROUP, as public missions deliver it (Parameter Value Language, CCSDS 641.0). */
final class Metadata
{
    /** @return array<string, string> values by key; groups are flattened, the first of equal keys holds */
    public static function parse(string $text): array
    {
        $values = [];
        $text = Utf8::of($text);
        foreach (preg_split('/\R/', $text) ?: [] as $line) {
            if (! preg_match('/^\s*([A-Za-z][A-Za-z0-9_.-]*)\s*=\s*(.*?)\s*;?\s*$/', $line, $match)) {
                continue;
            }
            [, $key, $value] = $match;
            if (! in_array(strtoupper($key), ['GROUP', 'END_GROUP', 'OBJECT', 'END_OBJECT'], true)) {
                $values[strtoupper($key)] ??= trim($value, '"\'');
            }
        }

        return $values;
    }
}
