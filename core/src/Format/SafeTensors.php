<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;

/**
 * Named arrays of numbers with texts beside them, as detectors are kept.
 * Source: safetensors, format of version 0.4: eight bytes of length, a heading in JSON, then the values, row by row, little-endian.
 */
final class SafeTensors
{
    /** Letters of unpack and bytes of a value. */
    private const TYPES = ['F64' => ['e', 8], 'F32' => ['g', 4], 'I64' => ['q', 8], 'I32' => ['l', 4], 'U8' => ['C', 1]];

    private const MOST_HEADING = 16 << 20;

    private readonly string $name;

    /** @var array<string, array{type: string, shape: list<int>, from: int, bytes: int}> */
    public readonly array $tensors;

    /** @var array<string, string> */
    public readonly array $metadata;

    /** @throws Problem where it is none, or a broken one */
    public function __construct(private readonly string $path)
    {
        $this->name = basename($path);
        $size = is_file($path) ? (int) filesize($path) : 0;
        $length = (int) (unpack('P', str_pad((string) @file_get_contents($path, false, null, 0, 8), 8, "\0"))[1] ?? 0);
        if ($length < 2 || $length > min(self::MOST_HEADING, $size - 8)) {
            throw Problem::input("$this->name holds no tensors that can be read (safetensors).");
        }
        $heading = json_decode((string) file_get_contents($path, false, null, 8, $length), true);
        if (! is_array($heading)) {
            throw Problem::input("$this->name is broken: its heading is no JSON.");
        }
        $told = $heading['__metadata__'] ?? [];
        unset($heading['__metadata__']);
        $this->metadata = is_array($told) ? array_map(fn (mixed $text): string => is_scalar($text) ? (string) $text : '', $told) : [];
        $tensors = [];
        $at = 0;
        uasort($heading, fn (mixed $a, mixed $b): int => ($a['data_offsets'][0] ?? 0) <=> ($b['data_offsets'][0] ?? 0));
        foreach ($heading as $name => $tensor) {
            $tensors[(string) $name] = $this->tensor((string) $name, is_array($tensor) ? $tensor : [], $at, 8 + $length);
        }
        if ($at !== $size - 8 - $length) {
            throw Problem::input("$this->name is corrupt: its length differs from its header.");
        }
        $this->tensors = $tensors;
    }

    /**
     * @return list<int|float> row by row
     *
     * @throws Problem where there is no such tensor
     */
    public function values(string $tensor): array
    {
        ['type' => $type, 'from' => $from, 'bytes' => $bytes] = $this->tensors[$tensor] ?? throw Problem::input("$this->name holds no tensor “{$tensor}”.");

        return $bytes < 1 ? [] : array_values((array) unpack(self::TYPES[$type][0].'*', (string) file_get_contents($this->path, false, null, $from, $bytes)));
    }

    /**
     * @param  array<string, array{type: string, shape: list<int>, values: list<int|float>}>  $tensors
     * @param  array<string, string>  $metadata
     */
    public static function write(string $path, array $tensors, array $metadata = []): void
    {
        $heading = $metadata === [] ? [] : ['__metadata__' => $metadata];
        $at = 0;
        foreach ($tensors as $name => ['type' => $type, 'shape' => $shape, 'values' => $values]) {
            if (array_product([1, ...$shape]) !== count($values)) {
                throw new \LogicException("Tensor $name has another number of values than its shape.");
            }
            $heading[$name] = ['dtype' => $type, 'shape' => $shape, 'data_offsets' => [$at, $at += count($values) * self::TYPES[$type][1]]];
        }
        $text = json_encode((object) $heading, JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_THROW_ON_ERROR);
        // values begin at a multiple of eight bytes
        $text .= str_repeat(' ', (8 - strlen($text) % 8) % 8);
        Files::replace($path, function ($handle, string $path) use ($text, $tensors): void {
            Files::put($handle, pack('P', strlen($text)).$text, $path);
            foreach ($tensors as ['type' => $type, 'values' => $values]) {
                foreach (array_chunk($values, 65_536) as $some) {
                    Files::put($handle, pack(self::TYPES[$type][0].'*', ...$some), $path);
                }
            }
        });
    }

    /**
     * @param  array<mixed>  $told
     * @return array{type: string, shape: list<int>, from: int, bytes: int}
     */
    private function tensor(string $name, array $told, int &$at, int $start): array
    {
        $type = is_string($told['dtype'] ?? null) ? $told['dtype'] : '';
        $shape = is_array($told['shape'] ?? null) ? array_values($told['shape']) : [null];
        [$from, $to] = [$told['data_offsets'][0] ?? null, $told['data_offsets'][1] ?? null];
        $count = 1;
        foreach ($shape as $side) {
            $count = is_int($side) && $side >= 0 && $side < 1 << 31 && $count < 1 << 31 ? $count * $side : PHP_INT_MAX;
        }
        if (! isset(self::TYPES[$type]) || $from !== $at || ! is_int($to) || $count > 1 << 31 || $to - $from !== $count * self::TYPES[$type][1]) {
            throw Problem::input("$this->name is broken: its tensor “{$name}” is of an unknown type, or of the wrong length.");
        }
        $at = $to;

        /** @var list<int> $shape */
        return ['type' => $type, 'shape' => $shape, 'from' => $start + $from, 'bytes' => $to - $from];
    }
}
