<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Problem;

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
     * @param  Example  $example  settings of a call that makes sense
     * @param  list<Figure>  $figures  what it reports beside the statistics of what it makes
     * @param  Desk  $desk  what a person in front of it needs beyond the form
     * @param  bool  $isLong  it takes minutes however small its inputs are
     * @param  list<string>  $either  inputs of which one is given, and no other
     * @param  list<string>  $synonyms  other terms by which it is looked for
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
        public Example $example = new Example,
        public array $figures = [],
        public bool $isLong = false,
        public array $either = [],
        public Desk $desk = new Desk,
        public array $synonyms = [],
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

    /**
     * Settings as they are to be: known ones only, each of its type and within its range, with what is usual where nothing is told.
     *
     * @param  array<string, mixed>  $told
     * @return array<string, mixed>
     *
     * @throws Problem with one sentence
     */
    public function settings(array $told): array
    {
        self::known(array_keys($told), array_map(fn (Setting $setting): string => $setting->name, $this->settings), 'setting', $this->id);
        $values = [];
        foreach ($this->settings as $setting) {
            $values[$setting->name] = $setting->value($told[$setting->name] ?? null);
        }

        return $values;
    }

    /**
     * Whether inputs have the names that the kind knows, and none that it needs is missing; nor a setting that one of them needs.
     *
     * @param  list<string>  $names
     * @param  array<string, mixed>  $settings
     *
     * @throws Problem with one sentence
     */
    public function checkInputs(array $names, array $settings): void
    {
        self::known(
            array_values(array_filter($names, fn (string $name): bool => $this->input($name) === null)),
            array_map(fn (Port $port): string => $port->name, $this->inputs),
            'input',
            $this->id,
        );
        foreach ($this->inputs as $port) {
            if ($port->required && array_filter($names, fn (string $name): bool => $this->input($name) === $port) === []) {
                throw Problem::call("The input {$port->name} is missing: {$port->help}", $port->name);
            }
        }
        $given = array_values(array_intersect($this->either, $names));
        if ($this->either !== [] && $given === []) {
            throw Problem::call("The input {$this->either[0]} is missing: {$this->input($this->either[0])?->help}", $this->either[0]);
        }
        if (count($given) > 1) {
            throw Problem::call("Give {$given[0]} or {$given[1]}, not both.", $given[1]);
        }
        foreach ($this->settings as $setting) {
            if ($setting->neededBy !== null && in_array($setting->neededBy, $names, true) && in_array($settings[$setting->name] ?? null, [null, []], true)) {
                throw Problem::call("The setting {$setting->name} is missing: {$setting->help}", $setting->name);
            }
        }
    }

    /**
     * Whether outputs have the names that the kind knows and endings that they can be written with, and none that it needs is missing.
     *
     * @param  array<string, string>  $paths
     *
     * @throws Problem with one sentence
     */
    public function checkOutputs(array $paths): void
    {
        self::known(array_keys($paths), array_map(fn (Port $port): string => $port->name, $this->outputs), 'output', $this->id);
        foreach ($this->outputs as $port) {
            $path = $paths[$port->name] ?? null;
            if ($path === null && $port->required) {
                throw Problem::call("The output {$port->name} is missing: name its file.", $port->name);
            }
            if (
                $path !== null &&
                $port->type !== PortType::Folder &&
                array_filter($port->endings, fn (string $ending): bool => str_ends_with(strtolower($path), $ending)) === []
            ) {
                throw Problem::call(
                    sprintf('The output %s can\'t be written as %s; it can end in %s.', $port->name, basename($path), implode(', ', $port->endings)),
                    $port->name,
                );
            }
        }
    }

    /**
     * @param  list<string>  $given
     * @param  list<string>  $known
     */
    private static function known(array $given, array $known, string $what, string $id): void
    {
        foreach ($given as $name) {
            if (! in_array($name, $known, true)) {
                throw Problem::call(sprintf('%s has no %s “%s”; it has %s.', $id, $what, $name, $known === [] ? 'none' : implode(', ', $known)), $name);
            }
        }
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return [
            'id' => $this->id,
            'stage' => $this->stage->value,
            'title' => $this->title,
            'sentence' => $this->sentence,
            'synonyms' => $this->synonyms,
            'inputs' => array_map(fn (Port $port): array => $port->toArray(), $this->inputs),
            'settings' => array_map(fn (Setting $setting): array => $setting->toArray(), $this->settings),
            'outputs' => array_map(fn (Port $port): array => $port->toArray(), $this->outputs),
            'source' => $this->source,
            'learns' => $this->learns->value,
            'desk' => $this->desk->toArray(),
        ];
    }
}
