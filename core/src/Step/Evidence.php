<?php

namespace Chorometra\Core\Step;

/** What is shown for a choice, or of a result, beyond fields and figures. The browser has a component for each name. */
final readonly class Evidence
{
    /**
     * @param  list<string>  $own  settings and inputs that it shows itself, instead of the form
     * @param  string|null  $beside  the setting under which it stands
     * @param  string|null  $makes  the kind of step that it sets up with what was made out on the desk
     * @param  list<array{name: string, help: string, setting: string|null, default: int|null}>  $choices  that it offers, each with a number that is set
     *   there
     */
    public function __construct(
        public string $name,
        public array $own = [],
        public ?string $beside = null,
        public ?string $makes = null,
        public array $choices = [],
    ) {}

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['name' => $this->name, 'own' => $this->own, 'beside' => $this->beside, 'makes' => $this->makes, 'choices' => $this->choices];
    }
}
