<?php

namespace Chorometra\Core\Step;

/** When a setting matters, or an output is made: another setting has one of some values, or an input is given. */
final readonly class Condition
{
    /** @param  list<string>  $values  of the setting, “yes” and “no” of a switch; none where $of is an input */
    private function __construct(public string $of, public array $values) {}

    /** @param  string  $text  “design=stratified”, “limits=percentiles|values”, or the name of an input */
    public static function of(string $text): self
    {
        $parts = explode('=', $text, 2);

        return new self($parts[0], isset($parts[1]) ? explode('|', $parts[1]) : []);
    }

    /**
     * @param  array<string, mixed>  $settings
     * @param  list<string>  $inputs  names of those given
     */
    public function holds(array $settings, array $inputs = []): bool
    {
        if ($this->values === []) {
            return in_array($this->of, array_map(fn (string $name): string => explode(':', $name)[0], $inputs), true);
        }
        $value = $settings[$this->of] ?? null;

        return in_array(is_bool($value) ? ($value ? 'yes' : 'no') : $value, $this->values, true);
    }

    /** @return array{of: string, values: list<string>} */
    public function toArray(): array
    {
        return ['of' => $this->of, 'values' => $this->values];
    }
}
