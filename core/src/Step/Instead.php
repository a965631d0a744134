<?php

namespace Chorometra\Core\Step;

/** A simpler way to the same end: another kind, with settings. */
final readonly class Instead
{
    /** @param  array<string, mixed>  $settings */
    public function __construct(public string $kind, public array $settings, public string $name, public string $why) {}

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['kind' => $this->kind, 'settings' => (object) $this->settings, 'name' => $this->name, 'why' => $this->why];
    }
}
