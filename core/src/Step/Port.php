<?php

namespace Chorometra\Core\Step;

/** An input or output of a kind of step: its name and what may lie there. */
final readonly class Port
{
    /**
     * @param  list<string>  $endings file endings an output can be written with, the usual one first
     * @param  bool  $many  an input that takes several: they are named “images:1”, “images:2” …
     * @param  Wants|null  $wants  which image is best for it
     * @param  array<string, string>  $endingFor  “as=shown” => “.png”: the ending that a setting asks for
     * @param  string|null  $sample  what lies there in an example, where that is not what its type says
     * @param  string|null  $called  the trade's term for what is given, where that is not what its type says
     * @param  Condition|null  $only  on which an output is made
     */
    public function __construct(
        public string $name,
        public PortType $type,
        public string $help,
        public bool $required = true,
        public array $endings = ['.tif'],
        public bool $many = false,
        private ?string $sample = null,
        public ?Wants $wants = null,
        private array $endingFor = [],
        public ?Condition $only = null,
        public ?string $called = null,
    ) {}

    /**
     * Whether an output is made.
     *
     * @param  array<string, mixed>  $settings  as they are to be
     * @param  list<string>  $inputs  names of those given
     */
    public function isMade(array $settings, array $inputs): bool
    {
        return $this->only === null || $this->only->holds($settings, $inputs);
    }

    /** What lies there in an example. */
    public function sample(): string
    {
        return $this->sample ??
            match ($this->wants) {
                Wants::Heights, Wants::Pan => $this->wants->value,
                default => $this->type->sample(),
            };
    }

    /**
     * What a file of it ends in, under settings.
     *
     * @param  array<string, mixed>  $settings
     */
    public function ending(array $settings): string
    {
        foreach ($this->endingFor as $condition => $ending) {
            if (Condition::of($condition)->holds($settings)) {
                return $ending;
            }
        }

        return $this->endings[0];
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return [
            'name' => $this->name,
            'type' => $this->type->value,
            'help' => $this->help,
            'required' => $this->required,
            'endings' => $this->endings,
            'many' => $this->many,
            'called' => $this->called,
            'wants' => $this->wants?->value,
        ];
    }
}
