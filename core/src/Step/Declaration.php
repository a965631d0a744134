<?php

namespace Chorometra\Core\Step;

/** What a kind of step is: everything that desk, command line, API and reference page need to know. */
final readonly class Declaration
{
    public Stage $stage;

    /**
     * @param  string  $sentence  what it does, in one sentence for the person in front of it
     * @param  list<Port>  $inputs
     * @param  list<Setting>  $settings
     * @param  list<Port>  $outputs
     * @param  string  $source  the published source of the computation
     */
    public function __construct(
        public string $id,
        public string $title,
        public string $sentence,
        public array $inputs,
        public array $settings,
        public array $outputs,
        public string $source,
        public Learning $learns = Learning::Nothing,
    ) {
        $this->stage = Stage::from(strstr($id, '.', true) ?: '');
    }

    /** The input of a name; “images:2” is one of the several that “images” takes. */
    public function input(string $name): ?Port
    {
        [$base, $number] = explode(':', $name, 2) + [1 => null];
        foreach ($this->inputs as $port) {
            if ($port->name === $base && ($number === null || ($port->many && ctype_digit($number)))) {
                return $port;
            }
        }

        return null;
    }

    public function output(string $name): ?Port
    {
        return array_values(array_filter($this->outputs, fn (Port $port): bool => $port->name === $name))[0] ?? null;
    }

    public function setting(string $name): ?Setting
    {
        return array_values(array_filter($this->settings, fn (Setting $setting): bool => $setting->name === $name))[0] ?? null;
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return [
            'id' => $this->id,
            'stage' => $this->stage->value,
            'title' => $this->title,
            'sentence' => $this->sentence,
            'inputs' => array_map(fn (Port $port): array => $port->toArray(), $this->inputs),
            'settings' => array_map(fn (Setting $setting): array => $setting->toArray(), $this->settings),
            'outputs' => array_map(fn (Port $port): array => $port->toArray(), $this->outputs),
            'source' => $this->source,
            'learns' => $this->learns->value,
        ];
    }
}
