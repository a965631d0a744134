<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;

/** Packed tiles of one level, in order (band by band, row by row), lying in part files that several workers wrote. */
final class TileStore
{
    /** @var array<int, array{string, int, int}> tile number => part file, offset, size */
    private array $tiles = [];

    public function __construct(private readonly int $expected) {}

    /** @param  list<int>  $index triples of tile number, offset and size */
    public function add(string $part, array $index): void
    {
        for ($i = 0, $count = count($index); $i < $count; $i += 3) {
            $this->tiles[$index[$i]] = [$part, $index[$i + 1], $index[$i + 2]];
        }
    }

    public function count(): int
    {
        return $this->expected;
    }

    public function bytes(): int
    {
        return array_sum(array_column($this->tiles, 2));
    }

    /** @return list<int> */
    public function sizes(): array
    {
        $sizes = [];
        for ($tile = 0; $tile < $this->expected; $tile++) {
            $sizes[] = $this->at($tile)[2];
        }

        return $sizes;
    }

    /** @return list<int> where each tile will lie when the first begins at $begin */
    public function offsets(int $begin): array
    {
        $offsets = [];
        for ($tile = 0; $tile < $this->expected; $tile++) {
            $offsets[] = $begin;
            $begin += $this->at($tile)[2];
        }

        return $offsets;
    }

    /**
     * @param  resource  $handle
     *
     * @throws Problem where a temporary file is gone
     */
    public function copyTo($handle, string $path): void
    {
        $parts = [];
        for ($tile = 0; $tile < $this->expected; $tile++) {
            [$part, $offset, $size] = $this->at($tile);
            $parts[$part] ??= @fopen($part, 'rb') ?: throw Problem::computation('A temporary file of this step was removed: run the step again.');
            fseek($parts[$part], $offset);
            Files::put($handle, (string) stream_get_contents($parts[$part], $size), $path);
        }
        array_map(fclose(...), $parts);
    }

    /** @return array{string, int, int} */
    private function at(int $tile): array
    {
        return $this->tiles[$tile] ?? throw Problem::computation("Tile $tile was never made: run the step again.");
    }
}
