<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Utf8;

/**
 * A shapefile with the attribute table and the CRS beside it, read record by record.
 *
 * Source: the published technical description of the format (1998); dBASE III tables (from memory).
 */
final class Shapefile implements FeatureReader
{
    /** A record's bytes: a million places. */
    private const MOST_RECORD = 16 << 20;

    private const MOST_PARTS = 100_000;

    /** PolygonRings that are looked into for one another's holes. */
    private const MOST_LOOKS = 20_000_000;

    private const MOST_TEXT = 1 << 16;

    public static function format(): string
    {
        return 'shapefile';
    }

    public static function recognises(string $head): bool
    {
        return str_starts_with($head, "\0\0\x27\x0a");
    }

    public static function read(string $path, ?string $layer = null): FeatureSet
    {
        $name = basename($path);
        $stem = (string) preg_replace('/\.shp$/i', '', $path);
        $head = (string) @file_get_contents($path, false, null, 0, 100);
        if (strlen($head) < 100 || substr($head, 0, 4) !== "\0\0\x27\x0a") {
            throw Problem::input("$name is not a shapefile.", 'file');
        }
        $table = is_file("$stem.dbf") ? "$stem.dbf" : (is_file("$stem.DBF") ? "$stem.DBF" : null);
        $columns = $table === null ? null : self::columns($table, $name);
        $isUtf8 = preg_match('/utf-?8|65001/i', (string) self::text("$stem.cpg")) === 1;
        $text = self::text("$stem.prj") ?? self::text("$stem.PRJ") ?? '';

        return new FeatureSet(
            $name,
            'shapefile',
            WellKnownText::projection($text),
            $text === '' ? null : WellKnownText::name($text),
            null,
            fn (): \Generator => self::features($path, $name, $table, $columns, $isUtf8),
        );
    }

    /**
     * @param  array{count: int, head: int, size: int, fields: list<array{string, string, int, int}>}|null  $columns
     * @return \Generator<int, array{geometry: array<string, mixed>|null, properties: array<string, mixed>}>
     */
    private static function features(string $path, string $name, ?string $table, ?array $columns, bool $isUtf8): \Generator
    {
        $shapes = @fopen($path, 'rb');
        $rows = $table === null ? null : @fopen($table, 'rb');
        if ($shapes === false || $rows === false) {
            throw Problem::input("$name can't be opened.", 'file');
        }
        $end = (int) (fstat($shapes)['size'] ?? 0);
        fseek($shapes, 100);
        if ($rows !== null && $columns !== null) {
            fseek($rows, $columns['head']);
        }
        for ($at = 100, $number = 1; $at + 8 <= $end; $number++) {
            $size = 2 * (int) (unpack('N', (string) fread($shapes, 8), 4)[1] ?? 0);
            if ($size < 4 || $at + 8 + $size > $end) {
                throw Problem::input("$name is broken: record $number is cut short.", 'file');
            }
            if ($size > self::MOST_RECORD) {
                throw Problem::input("$name has a shape of more than 16 MB (record $number): simplify it, or cut it into parts.", 'file');
            }
            $properties = [];
            if ($rows !== null && $columns !== null && $number <= $columns['count']) {
                $properties = self::row((string) stream_get_contents($rows, $columns['size']), $columns['fields'], $isUtf8);
            }
            yield ['geometry' => self::shape((string) stream_get_contents($shapes, $size), $name, $number), 'properties' => $properties];
            $at += 8 + $size;
        }
    }

    /** @return array<string, mixed>|null */
    private static function shape(string $record, string $name, int $number): ?array
    {
        $broken = Problem::input("$name is broken: record $number can't be read.", 'file');
        if (strlen($record) < 4) {
            throw $broken;
        }
        $type = (int) (unpack('V', $record)[1] ?? 0);
        $base = $type % 10;
        if ($type === 0) {
            return null;
        }
        if ($type > 28 || ! in_array($base, [1, 3, 5, 8], true)) {
            throw Problem::input("$name holds shapes of a kind that is not supported (surfaces): save it as points, lines or polygons.", 'file');
        }
        $places = function (int $at, int $count) use ($record, $broken): array {
            if ($count < 1 || $at + 16 * $count > strlen($record)) {
                return $count === 0 ? [] : throw $broken;
            }
            $numbers = array_values((array) unpack('e'.(2 * $count), $record, $at));

            $found = [];
            for ($i = 0; $i < $count; $i++) {
                $found[] = [$numbers[2 * $i], $numbers[2 * $i + 1]];
            }

            return $found;
        };
        if ($base === 1) {
            return ['type' => 'Point', 'coordinates' => $places(4, 1)[0]];
        }
        if (strlen($record) < 44) {
            throw $broken;
        }
        if ($base === 8) {
            return ['type' => 'MultiPoint', 'coordinates' => $places(40, (int) (unpack('V', $record, 36)[1] ?? 0))];
        }
        ['parts' => $parts, 'points' => $points] = (array) unpack('Vparts/Vpoints', $record, 36);
        if ($parts < 1 || $parts > self::MOST_PARTS || 44 + 4 * $parts + 16 * $points > strlen($record)) {
            throw $broken;
        }
        $starts = [...array_values((array) unpack("V$parts", $record, 44)), $points];
        $lines = [];
        for ($i = 0; $i < $parts; $i++) {
            if ($starts[$i + 1] < $starts[$i]) {
                throw $broken;
            }
            $lines[] = $places(44 + 4 * $parts + 16 * $starts[$i], $starts[$i + 1] - $starts[$i]);
        }
        if ($base === 3) {
            return count($lines) === 1 ? ['type' => 'LineString', 'coordinates' => $lines[0]] : ['type' => 'MultiLineString', 'coordinates' => $lines];
        }

        return self::polygon(array_values(array_filter($lines, fn (array $ring): bool => $ring !== [])), $name, $number);
    }

    /**
     * Outer rings run clockwise; a hole belongs to the smallest outer ring around it.
     *
     * @param  list<non-empty-list<array{float, float}>>  $rings
     * @return array<string, mixed>
     */
    private static function polygon(array $rings, string $name, int $number): array
    {
        $areas = array_map(PolygonRings::area(...), $rings);
        $outer = array_keys(array_filter($areas, fn (float $area): bool => $area < 0));
        $holes = array_keys(array_filter($areas, fn (float $area): bool => $area > 0));
        // a file whose only rings run the wrong way still means areas
        if ($outer === []) {
            [$outer, $holes] = [$holes, []];
        }
        // the smallest first: the first around a hole is the one
        usort($outer, fn (int $a, int $b): int => abs($areas[$a]) <=> abs($areas[$b]));
        $boxes = array_map(
            fn (int $ring): array => [
                min(array_column($rings[$ring], 0)),
                min(array_column($rings[$ring], 1)),
                max(array_column($rings[$ring], 0)),
                max(array_column($rings[$ring], 1)),
            ],
            $outer,
        );
        $polygons = array_map(fn (int $ring): array => [$rings[$ring]], $outer);
        $looks = 0;
        foreach ($holes as $hole) {
            [$x, $y] = $rings[$hole][0];
            $found = false;
            foreach ($boxes as $index => [$left, $bottom, $right, $top]) {
                $looks++;
                if ($x < $left || $x > $right || $y < $bottom || $y > $top) {
                    continue;
                }
                $looks += count($rings[$outer[$index]]);
                if ($looks > self::MOST_LOOKS) {
                    throw Problem::input("$name has too many holes in record $number: cut it into parts.", 'file');
                }
                if (PolygonRings::holds($rings[$outer[$index]], $x, $y)) {
                    $polygons[$index][] = $rings[$hole];
                    $found = true;
                    break;
                }
            }
            if (! $found) {
                $polygons[] = [$rings[$hole]];
            }
        }
        // in the order of the file
        $order = array_flip($outer);
        ksort($order);
        $polygons = [...array_values(array_map(fn (int $index): array => $polygons[$index], $order)), ...array_slice($polygons, count($outer))];

        return count($polygons) === 1 ? ['type' => 'Polygon', 'coordinates' => $polygons[0]] : ['type' => 'MultiPolygon', 'coordinates' => $polygons];
    }

    /** @return array{count: int, head: int, size: int, fields: list<array{string, string, int, int}>} fields by name, type, offset and length */
    private static function columns(string $table, string $name): array
    {
        $broken = Problem::input("The attribute table of $name is corrupt: remove the file ".basename($table).', or download it again.', 'file');
        $start = (string) @file_get_contents($table, false, null, 0, self::MOST_TEXT);
        if (strlen($start) < 33) {
            throw $broken;
        }
        ['count' => $count, 'head' => $head, 'size' => $size] = (array) unpack('Vcount/vhead/vsize', $start, 4);
        // the last record may lack its end
        if ($head < 33 || $head > strlen($start) || $size < 1 || $head + $count * $size > filesize($table) + 1) {
            throw $broken;
        }
        $fields = [];
        for ($at = 32, $offset = 1; $at + 32 <= $head && $start[$at] !== "\r"; $at += 32) {
            $length = ord($start[$at + 16]);
            $fields[] = [Utf8::of(rtrim(strstr(substr($start, $at, 11)."\0", "\0", true) ?: '')), $start[$at + 11], $offset, $length];
            $offset += $length;
        }
        if ($offset > $size) {
            throw $broken;
        }

        return ['count' => $count, 'head' => $head, 'size' => $size, 'fields' => $fields];
    }

    /**
     * @param  list<array{string, string, int, int}>  $fields
     * @return array<string, string|float|bool|null>
     */
    private static function row(string $bytes, array $fields, bool $isUtf8): array
    {
        $row = [];
        foreach ($fields as [$field, $type, $offset, $length]) {
            $text = trim(substr($bytes, $offset, $length), " \0");
            $text = $isUtf8 ? mb_scrub($text, 'UTF-8') : Utf8::of($text);
            $row[$field] = match (true) {
                $text === '' || str_starts_with($text, '*') => null,
                ($type === 'N' || $type === 'F') && is_numeric($text) && is_finite((float) $text) => (float) $text,
                $type === 'L' => in_array($text, ['T', 't', 'Y', 'y'], true),
                $type === 'D' && strlen($text) === 8 => substr($text, 0, 4).'-'.substr($text, 4, 2).'-'.substr($text, 6),
                default => $text,
            };
        }

        return $row;
    }

    private static function text(string $path): ?string
    {
        return is_file($path) ? Utf8::of((string) @file_get_contents($path, false, null, 0, self::MOST_TEXT)) : null;
    }
}
