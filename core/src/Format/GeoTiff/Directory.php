<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Problem;

/** One image file directory: its tags, read when asked for. */
final readonly class Directory
{
    private const SIZES = [
        1 => 1,
        2 => 1,
        3 => 2,
        4 => 4,
        5 => 8,
        6 => 1,
        7 => 1,
        8 => 2,
        9 => 4,
        10 => 8,
        11 => 4,
        12 => 8,
        13 => 4,
        16 => 8,
        17 => 8,
        18 => 8,
    ];

    /**
     * @param  array<int, array{type: int, count: int, inline: string|null, offset: int}>  $entries
     */
    private function __construct(private TiffBytes $source, private bool $msb, private array $entries) {}

    /**
     * All directories of a file, in order.
     *
     * @return array{bigEndian: bool, directories: list<self>}
     *
     * @throws Problem where it is no TIFF, or broken
     */
    public static function all(TiffBytes $source): array
    {
        if ($source->size < 8) {
            throw $source->broken('it is too short to be a TIFF file');
        }
        $head = $source->bytes(0, min(16, $source->size), 'the header');
        $msb = match (substr($head, 0, 2)) {
            'II' => false,
            'MM' => true,
            default => throw Problem::input("{$source->label()} is not a TIFF file: it begins with neither II nor MM."),
        };
        $version = self::number($msb, 2, substr($head, 2, 2));
        if ($version === 43) {
            if (strlen($head) < 16 || self::number($msb, 2, substr($head, 4, 2)) !== 8) {
                throw $source->broken('its BigTIFF header is wrong');
            }
            $next = self::number($msb, 8, substr($head, 8, 8));
        } elseif ($version === 42) {
            $next = self::number($msb, 4, substr($head, 4, 4));
        } else {
            throw Problem::input("{$source->label()} is not a TIFF file: its version number is $version, not 42 or 43.");
        }
        $big = $version === 43;
        $directories = [];
        $seen = [];
        while ($next !== 0) {
            if (isset($seen[$next])) {
                throw $source->broken('its directories run in a loop');
            }
            if (count($directories) >= 256) {
                throw $source->broken('it has more than 256 directories');
            }
            $seen[$next] = true;
            [$directories[], $next] = self::at($source, $big, $msb, $next);
        }
        if ($directories === []) {
            throw $source->broken('it holds no image');
        }

        return ['bigEndian' => $msb, 'directories' => $directories];
    }

    /** @return array{self, int} the directory and where the next one is */
    private static function at(TiffBytes $source, bool $big, bool $msb, int $offset): array
    {
        $countSize = $big ? 8 : 2;
        $entrySize = $big ? 20 : 12;
        $wordSize = $big ? 8 : 4;
        $count = self::number($msb, $countSize, $source->bytes($offset, $countSize, 'a directory'));
        if ($count < 1 || $count > 4096) {
            throw $source->broken("a directory claims $count tags");
        }
        $raw = $source->bytes($offset + $countSize, $count * $entrySize + $wordSize, 'a directory');
        $entries = [];
        for ($i = 0; $i < $count; $i++) {
            $entry = substr($raw, $i * $entrySize, $entrySize);
            $tag = self::number($msb, 2, substr($entry, 0, 2));
            $type = self::number($msb, 2, substr($entry, 2, 2));
            $values = self::number($msb, $wordSize, substr($entry, 4, $wordSize));
            $size = self::SIZES[$type] ?? 0;
            if ($size === 0) {
                continue;
            }
            if ($values < 0 || $values > intdiv($source->size, $size)) {
                throw $source->broken("tag $tag claims $values values, more than the file can hold");
            }
            $field = substr($entry, 4 + $wordSize, $wordSize);
            $inline = $values * $size <= $wordSize;
            $entries[$tag] = [
                'type' => $type,
                'count' => $values,
                'inline' => $inline ? substr($field, 0, $values * $size) : null,
                'offset' => $inline ? 0 : self::number($msb, $wordSize, $field),
            ];
        }

        return [new self($source, $msb, $entries), self::number($msb, $wordSize, substr($raw, -$wordSize))];
    }

    public function has(int $tag): bool
    {
        return isset($this->entries[$tag]);
    }

    public function count(int $tag): int
    {
        return $this->entries[$tag]['count'] ?? 0;
    }

    /**
     * @param  int  $most  more values than this are refused, so that memory stays bounded
     * @return list<int>
     *
     * @throws Problem where the tag holds something else
     */
    public function ints(int $tag, int $most = 65536): array
    {
        $bytes = $this->raw($tag, $most);
        if ($bytes === '') {
            return [];
        }
        $code = match ($this->entries[$tag]['type']) {
            1, 6, 7 => 'C*',
            3, 8 => $this->msb ? 'n*' : 'v*',
            4, 9, 13 => $this->msb ? 'N*' : 'V*',
            16, 17, 18 => $this->msb ? 'J*' : 'P*',
            default => throw $this->source->broken("tag $tag holds no whole numbers"),
        };

        return array_values((array) unpack($code, $bytes));
    }

    public function int(int $tag, int $default): int
    {
        return $this->ints($tag)[0] ?? $default;
    }

    /** One value of a long list, without reading the others; null where the list is shorter. */
    public function intAt(int $tag, int $index): ?int
    {
        $entry = $this->entries[$tag] ?? null;
        $size = [3 => 2, 4 => 4, 13 => 4, 16 => 8, 18 => 8][$entry['type'] ?? 0] ?? null;
        if ($entry === null || $size === null || $index < 0 || $index >= $entry['count']) {
            return null;
        }
        $bytes =
            $entry['inline'] !== null
                ? substr($entry['inline'], $index * $size, $size)
                : $this->source->bytes($entry['offset'] + $index * $size, $size, "tag $tag");

        return self::number($this->msb, $size, $bytes);
    }

    /**
     * @return list<float>
     *
     * @throws Problem where the tag holds something else
     */
    public function doubles(int $tag): array
    {
        $bytes = $this->raw($tag, 65536);
        if ($bytes === '') {
            return [];
        }
        $code = match ($this->entries[$tag]['type']) {
            11 => $this->msb ? 'G*' : 'g*',
            12 => $this->msb ? 'E*' : 'e*',
            default => throw $this->source->broken("tag $tag holds no floating-point numbers"),
        };

        return array_values((array) unpack($code, $bytes));
    }

    public function text(int $tag): string
    {
        return rtrim($this->raw($tag, 1 << 20), "\0 ");
    }

    /** Bytes as they lie in the file, at most as many. */
    public function bytes(int $tag, int $most): string
    {
        return $this->raw($tag, $most);
    }

    private function raw(int $tag, int $most): string
    {
        $entry = $this->entries[$tag] ?? null;
        if ($entry === null) {
            return '';
        }
        if ($entry['count'] > $most) {
            throw $this->source->broken("tag $tag has {$entry['count']} values where at most $most are plausible");
        }

        return $entry['inline'] ?? $this->source->bytes($entry['offset'], $entry['count'] * self::SIZES[$entry['type']], "tag $tag");
    }

    private static function number(bool $msb, int $size, string $bytes): int
    {
        $code = match ($size) {
            2 => $msb ? 'n' : 'v',
            4 => $msb ? 'N' : 'V',
            default => $msb ? 'J' : 'P',
        };

        return ((array) unpack($code, $bytes))[1];
    }
}
