<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Classify\Cases\Cases;

/** Pixels of a block that questions are asked of. */
final readonly class PixelCases implements Cases
{
    /**
     * @param  array<string, list<float>>  $columns  by measure
     * @param  array<string, string|null>  $units
     */
    public function __construct(private array $columns, private array $units, private int $count) {}

    public function count(): int
    {
        return $this->count;
    }

    public function column(string $text): array
    {
        return ['unit' => $this->units[$text], 'values' => $this->columns[$text]];
    }

    public function pixels(): ?array
    {
        return null;
    }

    public function hectares(): ?array
    {
        return null;
    }

    public function leaves(): ?array
    {
        return null;
    }
}
