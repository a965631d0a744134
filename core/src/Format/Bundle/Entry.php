<?php

namespace Chorometra\Core\Format\Bundle;

final readonly class Entry
{
    public function __construct(public string $name, public int $size) {}

    public function base(): string
    {
        return basename($this->name);
    }
}
