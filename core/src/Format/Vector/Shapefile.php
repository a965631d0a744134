<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/**
 * A shapefile with the attribute table and the CRS beside it.
 *
 * Source: the published technical description of the format (1998); dBASE III tables (from memory).
 */
final class Shapefile
{
    private const MOST_BYTES = 256 << 20;

    public static function read(string $path): FeatureSet
    {
        $name = basename($path);
        $stem = preg_replace('/\.shp$/i', '', $path);
        $bytes = self::file($path) ?? throw Problem::input("$name can't be opened.", 'file');
        if (strlen($bytes) < 100 || substr($bytes, 0, 4) !== "\0\0\x27\x0a") {
            throw Problem::input("$name is no shapefile: it does not begin like one.", 'file');
        }
        $rows = [];
        foreach (['.dbf', '.DBF'] as $ending) {
            $table = self::file($stem.$ending);
            $rows = $table === null ? $rows : self::table($table, $name, self::file($stem.'.cpg'));
        }
        $text = (string) (self::file($stem.'.prj') ?? self::file($stem.'.PRJ'));
        $features = [];
        for ($at = 100, $length = strlen($bytes); $at + 8 <= $length;) {
            $size = 2 * (int) (unpack('N', $bytes, $at + 4)[1] ?? 0);
            if ($size < 4 || $at + 8 + $size > $length) {
                throw Problem::input("$name is broken: record ".(count($features) + 1).' is cut short.', 'file');
            }
            $features[] = ['geometry' => self::shape(substr($bytes, $at + 8, $size), $name, count($features) + 1), 'properties' => $rows[count($features)] ?? []];
            $at += 8 + $size;
        }

        return new FeatureSet($name, 'shapefile', WellKnownText::projection($text), $text === '' ? null : WellKnownText::name($text), $features);
    }

    /** @return array<string, mixed>|null */
    private static function shape(string $record, string $name, int $number): ?array
    {
        $broken = Problem::input("$name is broken: record $number can't be read.", 'file');
        $type = (int) (unpack('V', $record)[1] ?? 0);
        $base = $type % 10;
        if ($type === 0) {
            return null;
        }
        if ($type > 28 || ! in_array($base, [1, 3, 5, 8], true)) {
            throw Problem::input("$name holds shapes of a kind that is not read (surfaces): bring it as points, lines or polygons.", 'file');
        }
        $places = function (int $at, int $count) use ($record, $broken): array {
            if ($count < 0 || $at + 16 * $count > strlen($record)) {
                throw $broken;
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
        if ($parts < 1 || 44 + 4 * $parts > strlen($record)) {
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

        return self::polygon($lines);
    }

    /**
     * Outer rings run clockwise; a hole belongs to the smallest outer ring around it.
     *
     * @param  list<list<array{float, float}>>  $rings
     * @return array<string, mixed>
     */
    private static function polygon(array $rings): array
    {
        $outer = array_values(array_filter($rings, fn (array $ring): bool => Rings::area($ring) < 0));
        $holes = array_values(array_filter($rings, fn (array $ring): bool => Rings::area($ring) > 0));
        // a file whose only rings run the wrong way still means areas
        if ($outer === []) {
            [$outer, $holes] = [$holes, []];
        }
        $polygons = array_map(fn (array $ring): array => [$ring], $outer);
        foreach ($holes as $hole) {
            $best = null;
            foreach ($outer as $index => $ring) {
                if (Rings::holds($ring, ...$hole[0]) && ($best === null || abs(Rings::area($ring)) < abs(Rings::area($outer[$best])))) {
                    $best = $index;
                }
            }
            if ($best === null) {
                $polygons[] = [$hole];
            } else {
                $polygons[$best][] = $hole;
            }
        }

        return count($polygons) === 1 ? ['type' => 'Polygon', 'coordinates' => $polygons[0]] : ['type' => 'MultiPolygon', 'coordinates' => $polygons];
    }

    /** @return list<array<string, string|float|bool|null>> */
    private static function table(string $bytes, string $name, ?string $codePage): array
    {
        if (strlen($bytes) < 32) {
            throw Problem::input("The table beside $name is broken.", 'file');
        }
        ['count' => $count, 'head' => $head, 'size' => $size] = (array) unpack('Vcount/vhead/vsize', $bytes, 4);
        $fields = [];
        for ($at = 32, $offset = 1; $at + 32 <= $head && $bytes[$at] !== "\r"; $at += 32) {
            $length = ord($bytes[$at + 16]);
            $fields[] = [rtrim(strstr(substr($bytes, $at, 11)."\0", "\0", true) ?: ''), $bytes[$at + 11], $offset, $length];
            $offset += $length;
        }
        $isUtf8 = $codePage !== null && preg_match('/utf-?8|65001/i', $codePage);
        $rows = [];
        for ($i = 0; $i < $count && $head + ($i + 1) * $size <= strlen($bytes); $i++) {
            $row = [];
            foreach ($fields as [$field, $type, $offset, $length]) {
                $text = trim(substr($bytes, $head + $i * $size + $offset, $length), " \0");
                $text = $isUtf8 || mb_check_encoding($text, 'UTF-8') ? $text : mb_convert_encoding($text, 'UTF-8', 'Windows-1252');
                $row[$field] = match (true) {
                    $text === '' || str_starts_with($text, '*') => null,
                    ($type === 'N' || $type === 'F') && is_numeric($text) => (float) $text,
                    $type === 'L' => in_array($text, ['T', 't', 'Y', 'y'], true),
                    $type === 'D' && strlen($text) === 8 => substr($text, 0, 4).'-'.substr($text, 4, 2).'-'.substr($text, 6),
                    default => $text,
                };
            }
            $rows[] = $row;
        }

        return $rows;
    }

    private static function file(string $path): ?string
    {
        if (! is_file($path)) {
            return null;
        }
        if (filesize($path) > self::MOST_BYTES) {
            throw Problem::input(basename($path).' is larger than 256 MB; cut it into parts.', 'file');
        }

        return (string) file_get_contents($path);
    }
}
