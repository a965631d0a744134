<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;

/** POSIX ustar with GNU long names and pax paths, plain or gzip, read from front to back. */
final class Tar extends PackedFiles
{
    private int $unpacked = 0;

    public function entries(?callable $each = null): array
    {
        $entries = [];
        $this->walk(function (Entry $entry, callable $read) use (&$entries, $each): void {
            $entries[] = $entry;
            if ($each !== null) {
                $each($entry, $read);
            }
        });

        return $entries;
    }

    public function extract(array $wanted): void
    {
        $left = $wanted;
        $this->walk(function (Entry $entry, callable $read) use (&$left): void {
            if (! isset($left[$entry->name])) {
                return;
            }
            $target = $left[$entry->name];
            unset($left[$entry->name]);
            $this->room($entry->size, dirname($target));
            Files::replace($target, function ($handle, string $path) use ($entry, $read): void {
                for ($todo = $entry->size; $todo > 0;) {
                    $piece = $read(min($todo, 1 << 20));
                    Files::put($handle, $piece, $path);
                    $todo -= strlen($piece);
                }
            });
        });
        if ($left !== []) {
            throw $this->broken();
        }
    }

    /** @param  callable(Entry, callable(int): string): void  $each */
    private function walk(callable $each): void
    {
        $handle = @gzopen($this->path, 'rb');
        if ($handle === false) {
            throw Problem::input("{$this->label()} can't be opened.");
        }
        $this->unpacked = 0;
        try {
            $count = 0;
            $long = null;
            while (($header = $this->take($handle, 512, true)) !== '' && trim($header, "\0") !== '') {
                if (! $this->sound($header)) {
                    throw $this->broken();
                }
                $size = $this->size(substr($header, 124, 12));
                $type = $header[156];
                $padding = (512 - $size % 512) % 512;
                if ($type === 'L' || $type === 'x') {
                    if ($size > 1 << 16) {
                        throw $this->broken();
                    }
                    $text = $this->take($handle, $size);
                    $this->take($handle, $padding);
                    $long = $type === 'L' ? rtrim($text, "\0") : (preg_match('/^\d+ path=(.*)$/m', $text, $match) ? $match[1] : $long);

                    continue;
                }
                $prefix = substr($header, 257, 5) === 'ustar' && $header[262] === "\0" ? rtrim(substr($header, 345, 155), "\0") : '';
                $name = $long ?? ($prefix === '' ? '' : "$prefix/").rtrim(substr($header, 0, 100), "\0");
                $long = null;
                $name = preg_replace('~^(\./)+~', '', $name) ?? $name;
                $this->check($name, ++$count);
                if ($type === '1' || $type === '2') {
                    $this->check(rtrim(substr($header, 157, 100), "\0"), $count);
                }
                $left = $size;
                if ($type === '0' || $type === "\0") {
                    $each(new Entry($name, $size), function (int $most) use ($handle, &$left): string {
                        $bytes = $this->take($handle, min($most, $left));
                        $left -= strlen($bytes);

                        return $bytes;
                    });
                }
                for ($left += $padding; $left > 0;) {
                    $left -= strlen($this->take($handle, min($left, 1 << 20)));
                }
            }
            // what is cut off between two files has no blocks of zeros at its end; plain archives of some writers have none either
            if ($count === 0 || ($header === '' && $this->isPacked())) {
                throw $this->broken();
            }
        } finally {
            gzclose($handle);
        }
    }

    private function isPacked(): bool
    {
        return @file_get_contents($this->path, false, null, 0, 2) === "\x1F\x8B";
    }

    /** @param  resource  $handle */
    private function take($handle, int $length, bool $orEnd = false): string
    {
        $bytes = '';
        while (strlen($bytes) < $length) {
            $piece = @gzread($handle, $length - strlen($bytes));
            if ($piece === false || $piece === '') {
                if ($orEnd && $bytes === '') {
                    return '';
                }
                throw $this->broken();
            }
            $bytes .= $piece;
        }
        $this->bound($this->unpacked += $length);

        return $bytes;
    }

    private function sound(string $header): bool
    {
        $sum = array_sum((array) unpack('C*', substr_replace($header, '        ', 148, 8)));

        $told = trim(substr($header, 148, 8), " \0");

        return strspn($told, '01234567') === strlen($told) && octdec($told) === $sum;
    }

    private function size(string $field): int
    {
        if ((ord($field[0]) & 0x80) !== 0) {
            $size = ((array) unpack('J', substr($field, 4)))[1];
            if ($size < 0) {
                throw $this->broken();
            }

            return $size > 1 << 50 ? throw $this->broken() : $size;
        }
        $text = trim($field, " \0");

        return $text !== '' && strspn($text, '01234567') === strlen($text) ? (int) octdec($text) : throw $this->broken();
    }
}
