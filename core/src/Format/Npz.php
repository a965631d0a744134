<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;

/**
 * NumPy archives (.npz): named arrays of one dimension, and JSON texts beside them. Arrays are read by windows.
 * Source: NumPy Enhancement Proposal 1, “A simple file format for NumPy arrays”; numpy.savez.
 */
final class Npz
{
    /** Letters of unpack and bytes of a value, by type as an array names it. */
    private const TYPES = [
        '<f8' => ['e', 8],
        '<f4' => ['g', 4],
        '<u4' => ['V', 4],
        '<i4' => ['l', 4],
        '<u2' => ['v', 2],
        '<i2' => ['s', 2],
        '<i8' => ['q', 8],
        '<u8' => ['P', 8],
        '|u1' => ['C', 1],
        '|i1' => ['c', 1],
        '|b1' => ['C', 1],
    ];

    private const MOST_ARRAYS = 4096;

    private const MOST_VALUES = 1 << 30;

    private const MOST_TEXT = 16 << 20;

    /** Values that are held at once: some 300 MB. */
    private const MOST_AT_ONCE = 20_000_000;

    /** Bytes read or packed at once. */
    private const CHUNK = 1 << 18;

    private readonly string $name;

    /** @var array<string, array{type: string, count: int, offset: int}> by name: type, values, bytes before the first */
    public readonly array $arrays;

    private readonly \ZipArchive $zip;

    /** @throws Problem where it is no archive of arrays, or one of something else */
    public function __construct(string $path)
    {
        $this->name = basename($path);
        $this->zip = new \ZipArchive;
        if (! is_file($path) || $this->zip->open($path, \ZipArchive::RDONLY) !== true) {
            throw Problem::input("$this->name is no NumPy archive (.npz) that can be read.");
        }
        if ($this->zip->numFiles > self::MOST_ARRAYS) {
            throw Problem::input("$this->name holds {$this->zip->numFiles} arrays, more than the ".number_format(self::MOST_ARRAYS).' that are taken.');
        }
        $arrays = [];
        for ($i = 0; $i < $this->zip->numFiles; $i++) {
            $member = (string) $this->zip->getNameIndex($i);
            if (str_ends_with($member, '.npy')) {
                $arrays[substr($member, 0, -4)] = $this->header($member);
            }
        }
        $this->arrays = $arrays;
    }

    /** Whether a file is an archive of arrays by its members' names. */
    public static function is(string $path): bool
    {
        $zip = new \ZipArchive;
        if ($zip->open($path, \ZipArchive::RDONLY) !== true) {
            return false;
        }
        for ($i = 0; $i < min(16, $zip->numFiles); $i++) {
            if (str_ends_with((string) $zip->getNameIndex($i), '.npy')) {
                return true;
            }
        }

        return false;
    }

    /**
     * Values of an array, all or a window of it. Those that are no number come as NAN.
     *
     * @return list<int|float>
     *
     * @throws Problem where there is no such array, or it is broken
     */
    public function values(string $array, int $from = 0, ?int $count = null): array
    {
        ['type' => $type, 'count' => $all, 'offset' => $offset] = $this->arrays[$array] ?? throw Problem::input("$this->name holds no array “{$array}”.");
        [$letter, $bytes] = self::TYPES[$type];
        $from = max(0, min($from, $all));
        $wanted = min($count ?? $all, $all - $from);
        if ($wanted > self::MOST_AT_ONCE) {
            throw Problem::input(sprintf('%s holds %s values in “%s”, more than the %s that are taken at once.', $this->name, number_format($wanted), $array,
                number_format(self::MOST_AT_ONCE)));
        }
        $left = $bytes * min($count ?? $all, $all - $from);
        $stream = $this->stream("$array.npy");
        $this->skip($stream, $offset + $from * $bytes);
        $values = [];
        while ($left > 0) {
            $piece = self::read($stream, min($left, self::CHUNK));
            if (strlen($piece) !== min($left, self::CHUNK)) {
                throw Problem::input("$this->name is cut short: its array “{$array}” ends too early.");
            }
            array_push($values, ...array_values((array) unpack("$letter*", $piece)));
            $left -= strlen($piece);
        }
        if ($type === '<u8') {
            // PHP's whole numbers end below
            $values = array_map(fn (int $value): int|float => $value < 0 ? $value + 18_446_744_073_709_551_616.0 : $value, $values);
        }

        return $values;
    }

    /**
     * @return array<mixed>|null a JSON text beside the arrays; null where there is none
     *
     * @throws Problem where the text is too long, or no JSON
     */
    public function document(string $name): ?array
    {
        $stat = $this->zip->statName("$name.json");
        if ($stat === false) {
            return null;
        }
        if ($stat['size'] > self::MOST_TEXT) {
            throw Problem::input("$this->name holds a text “{$name}” that is too long.");
        }
        $told = json_decode((string) $this->zip->getFromName("$name.json"), true);

        return is_array($told) ? $told : throw Problem::input("$this->name is broken: its text “{$name}” is no JSON.");
    }

    /**
     * Writes arrays and texts; the same ones give the same bytes.
     *
     * @param  array<string, array{string, iterable<int|float>}>  $arrays  type (<f8, <u4 …) and values, by name
     * @param  array<string, array<mixed>>  $documents  by name
     *
     * @throws Problem where the file can't be written
     */
    public static function write(string $path, array $arrays, array $documents = []): void
    {
        $parts = [];
        try {
            $zip = new \ZipArchive;
            Files::folder(dirname($path));
            $whole = $parts[] = "$path.".getmypid().'.part';
            if (@$zip->open($whole, \ZipArchive::CREATE | \ZipArchive::OVERWRITE) !== true) {
                throw Problem::computation(basename($path).' can\'t be written: check the permission for its folder.');
            }
            foreach ($arrays as $name => [$type, $values]) {
                $parts[] = $part = "$path.".count($parts).'.'.getmypid().'.part';
                self::array($part, $type, $values);
                $zip->addFile($part, "$name.npy");
                self::settle($zip, "$name.npy");
            }
            foreach ($documents as $name => $document) {
                $zip->addFromString("$name.json", json_encode($document, JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_THROW_ON_ERROR)."\n");
                self::settle($zip, "$name.json");
            }
            if (! @$zip->close() || ! @rename($whole, $path)) {
                throw Files::full($path);
            }
        } finally {
            foreach ($parts as $part) {
                @unlink($part);
            }
        }
    }

    /** Neither packed, so that windows are read where they lie, nor dated. */
    private static function settle(\ZipArchive $zip, string $member): void
    {
        $zip->setCompressionName($member, \ZipArchive::CM_STORE);
        $zip->setMtimeName($member, (int) mktime(12, 0, 0, 1, 1, 1980));
    }

    /** @param  iterable<int|float>  $values */
    private static function array(string $path, string $type, iterable $values): void
    {
        [$letter, $bytes] = self::TYPES[$type];
        $handle = @fopen($path, 'w+b') ?: throw Files::full($path);
        Files::put($handle, self::head($type, 0), $path);
        $count = 0;
        $some = [];
        foreach ($values as $value) {
            $some[] = $value;
            if (++$count % (self::CHUNK / 8) === 0) {
                Files::put($handle, pack("$letter*", ...$some), $path);
                $some = [];
            }
        }
        Files::put($handle, pack("$letter*", ...$some), $path);
        rewind($handle);
        Files::put($handle, self::head($type, $count), $path);
        fclose($handle);
    }

    /** Of one length, whatever the count: it is written before the values are known. */
    private static function head(string $type, int $count): string
    {
        return "\x93NUMPY\x01\x00".pack('v', 118).str_pad("{'descr': '$type', 'fortran_order': False, 'shape': ($count,), }", 117)."\n";
    }

    /** @return array{type: string, count: int, offset: int} */
    private function header(string $member): array
    {
        $stream = $this->stream($member);
        $head = self::read($stream, 12);
        $version = ord($head[6] ?? "\0");
        if (! str_starts_with($head, "\x93NUMPY") || $version < 1 || $version > 3 || strlen($head) < 12) {
            throw $this->broken($member);
        }
        $length = $version === 1 ? (int) (unpack('v', $head, 8)[1] ?? 0) : (int) (unpack('V', $head, 8)[1] ?? 0);
        $offset = ($version === 1 ? 10 : 12) + $length;
        if ($length > 65_536) {
            throw $this->broken($member);
        }
        $text = substr($head, $version === 1 ? 10 : 12).self::read($stream, $offset - 12);
        if (preg_match("/'descr':\s*'([<|=]?[a-z]\d+)'/", $text, $type) !== 1 || preg_match("/'shape':\s*\(\s*(\d{1,12})\s*,?\s*\)/", $text, $shape) !== 1) {
            throw Problem::input("$this->name holds an array “".basename($member, '.npy').'” that is no row of plain numbers.');
        }
        $type = ltrim($type[1], '=<|');
        $type = (in_array($type, ['u1', 'i1', 'b1'], true) ? '|' : '<').$type;
        $count = (int) $shape[1];
        if (! isset(self::TYPES[$type]) || $count > self::MOST_VALUES) {
            throw Problem::input(
                "$this->name holds an array “".
                    basename($member, '.npy').
                    '” of '.
                    ($count > self::MOST_VALUES ? 'more values than are taken.' : "a type that is not read ($type)."),
            );
        }
        if (($this->zip->statName($member)['size'] ?? 0) !== $offset + $count * self::TYPES[$type][1]) {
            throw Problem::input("$this->name is cut short: its array “".basename($member, '.npy').'” is of the wrong length.');
        }

        return ['type' => $type, 'count' => $count, 'offset' => $offset];
    }

    /** @return resource */
    private function stream(string $member)
    {
        return $this->zip->getStream($member) ?: throw $this->broken($member);
    }

    /** @param  resource  $stream */
    private function skip($stream, int $bytes): void
    {
        for (; $bytes > 0; $bytes -= strlen($piece)) {
            $piece = (string) @fread($stream, min($bytes, self::CHUNK));
            if ($piece === '') {
                throw Problem::input("$this->name is cut short.");
            }
        }
    }

    /** @param  resource  $stream */
    private static function read($stream, int $bytes): string
    {
        $text = '';
        while ($bytes > strlen($text) && ($piece = (string) @fread($stream, max(1, $bytes - strlen($text)))) !== '') {
            $text .= $piece;
        }

        return $text;
    }

    private function broken(string $member): Problem
    {
        return Problem::input("$this->name is broken: “{$member}” in it is no array that can be read.");
    }
}
