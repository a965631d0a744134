<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Problem;

/** A value that a person chooses for a step: name, type, unit, range, default and help. */
final readonly class Setting
{
    /**
     * @param  list<string>  $choices
     * @param  array<string, string>  $meanings  what a choice stands for, where its name does not tell
     * @param  list<string>  $words  that mean something in a text of lines
     * @param  string|null  $input  whose band it names, where that is not the first
     * @param  string|null  $neededBy  an input that can't do without it
     */
    private function __construct(
        public string $name,
        public string $type,
        public mixed $default,
        public string $help,
        public ?string $unit = null,
        public ?float $least = null,
        public ?float $most = null,
        public array $choices = [],
        public bool $required = false,
        public ?Condition $only = null,
        public array $meanings = [],
        public bool $ofImage = false,
        public ?Service $service = null,
        public bool $hasLines = false,
        public array $words = [],
        public ?string $input = null,
        public ?string $neededBy = null,
    ) {}

    public static function number(
        string $name,
        ?float $default,
        string $help,
        ?string $unit = null,
        ?float $least = null,
        ?float $most = null,
        bool $required = false,
    ): self {
        return new self($name, 'number', $default, $help, $unit, $least, $most, required: $required);
    }

    public static function whole(string $name, ?int $default, string $help, ?string $unit = null, ?int $least = null, ?int $most = null): self
    {
        return new self($name, 'whole', $default, $help, $unit, $least, $most);
    }

    /**
     * @param  list<string>  $choices
     * @param  array<string, string>  $meanings
     */
    public static function choice(string $name, array $choices, ?string $default, string $help, array $meanings = []): self
    {
        return new self($name, 'choice', $default, $help, choices: $choices, meanings: $meanings);
    }

    /**
     * @param  list<string>  $choices
     * @param  list<string>  $default
     */
    public static function choices(string $name, array $choices, array $default, string $help): self
    {
        return new self($name, 'choices', $default, $help, choices: $choices);
    }

    public static function numbers(string $name, string $help, ?string $unit = null, bool $required = false): self
    {
        return new self($name, 'numbers', [], $help, $unit, required: $required);
    }

    /** A band of an input, of the first where none is named, by number from 1 or by role. */
    public static function band(string $name, ?string $default, string $help, ?string $input = null): self
    {
        return new self($name, 'band', $default, $help, input: $input);
    }

    /** @param  list<string>  $default */
    public static function texts(string $name, string $help, array $default = []): self
    {
        return new self($name, 'texts', $default, $help);
    }

    public static function text(string $name, ?string $default, string $help, bool $required = false): self
    {
        return new self($name, 'text', $default, $help, required: $required);
    }

    public static function yes(string $name, bool $default, string $help): self
    {
        return new self($name, 'switch', $default, $help);
    }

    /** @param  string  $condition  on which the setting matters, as `Condition` reads it */
    public function onlyFor(string $condition): self
    {
        return $this->with(only: Condition::of($condition));
    }

    /** The setting has to be told where an input is given. */
    public function neededBy(string $input): self
    {
        return $this->with(neededBy: $input);
    }

    /** The setting tells of the image, where its metadata do not: another image has another. Settings else belong to the method. */
    public function ofImage(): self
    {
        return $this->with(ofImage: true);
    }

    /** The setting is the address of a service. */
    public function leadsTo(Service $service): self
    {
        return $this->with(service: $service);
    }

    /**
     * The setting is a text of several lines.
     *
     * @param  list<string>  $words  that mean something in it
     */
    public function ofLines(array $words = []): self
    {
        return $this->with(hasLines: true, words: $words);
    }

    private function with(mixed ...$changes): self
    {
        return new self(...[...get_object_vars($this), ...$changes]);
    }

    /**
     * A value as typed on the command line or sent by the browser, checked and in its own type.
     *
     * @throws Problem with one sentence about what is wrong
     */
    public function value(mixed $given): mixed
    {
        if ($given === null || $given === '' || $given === []) {
            if ($this->required) {
                throw Problem::call("The setting {$this->name} is missing: {$this->help}", $this->name);
            }

            return $this->default;
        }

        return match ($this->type) {
            'number' => $this->inRange(self::numeric($given, $this)),
            'whole' => $this->integer($given),
            'choice' => $this->oneOf(is_string($given) ? $given : ''),
            'choices' => array_map($this->oneOf(...), self::list($given)),
            'numbers' => array_map(fn (mixed $one): float => self::numeric($one, $this), self::list($given)),
            'texts' => self::list($given),
            'switch' => $this->switched($given),
            default => is_scalar($given) ? trim((string) $given) : throw Problem::call("The setting {$this->name} needs a text.", $this->name),
        };
    }

    /** What to say of a value that may well be meant another way: a share where per cent are asked for. */
    public function caution(mixed $given): ?string
    {
        $value = is_string($given) ? str_replace('−', '-', trim($given)) : $given;
        if ($this->unit !== '%' || ! is_numeric($value) || (float) $value === (float) (is_numeric($this->default) ? $this->default : NAN)) {
            return null;
        }
        $size = abs((float) $value);

        return $size > 0.0 && $size < 1.0 ? sprintf('%s is %s %%: for a share of %s type %s%%.', $this->name, $value, $value, 100 * $value) : null;
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return array_filter([
            'name' => $this->name,
            'type' => $this->type,
            'default' => $this->default,
            'help' => $this->help,
            'unit' => $this->unit,
            'least' => $this->least,
            'most' => $this->most,
            'choices' => $this->choices ?: null,
            'required' => $this->required ?: null,
            'only' => $this->only?->toArray(),
            'meanings' => $this->meanings ?: null,
            'ofImage' => $this->ofImage ?: null,
            'service' => $this->service?->value,
            'lines' => $this->hasLines ?: null,
            'words' => $this->words ?: null,
            'input' => $this->input,
        ], fn (mixed $value): bool => $value !== null);
    }

    private static function numeric(mixed $given, self $setting): float
    {
        $text = is_string($given) ? str_replace('−', '-', trim($given)) : $given;
        // 5% is 5 where per cent are asked for, and 0.05 everywhere else
        $isPercent = is_string($text) && str_ends_with($text, '%');
        $text = $isPercent ? rtrim(substr($text, 0, -1)) : $text;
        if (! is_numeric($text) || ! is_finite((float) $text)) {
            throw Problem::call(sprintf('The setting %s needs a number, not “%s”.', $setting->name, is_scalar($given) ? $given : 'a list'), $setting->name);
        }

        return $isPercent && $setting->unit !== '%' ? (float) $text / 100 : (float) $text;
    }

    private function inRange(float $value): float
    {
        if (($this->least !== null && $value < $this->least) || ($this->most !== null && $value > $this->most)) {
            throw Problem::call("The setting {$this->name} is $value; it must be ".$this->rangeText().'.', $this->name);
        }

        return $value;
    }

    private function integer(mixed $given): int
    {
        $value = $this->inRange(self::numeric($given, $this));
        if (fmod($value, 1.0) !== 0.0) {
            throw Problem::call("The setting {$this->name} needs a whole number, not $value.", $this->name);
        }

        return (int) $value;
    }

    private function oneOf(string $value): string
    {
        if (! in_array($value, $this->choices, true)) {
            throw Problem::call("The setting {$this->name} is “{$value}”; it can be ".implode(', ', $this->choices).'.', $this->name);
        }

        return $value;
    }

    private function switched(mixed $given): bool
    {
        return match ($given) {
            true, 'yes' => true,
            false, 'no' => false,
            default => throw Problem::call("The setting {$this->name} is a switch: yes or no.", $this->name),
        };
    }

    private function rangeText(): string
    {
        $unit = $this->unit === null ? '' : " {$this->unit}";

        return match (true) {
            $this->least === null => "at or below {$this->most}$unit",
            $this->most === null => "at or above {$this->least}$unit",
            default => "between {$this->least} and {$this->most}$unit",
        };
    }

    /** @return list<string> */
    private static function list(mixed $given): array
    {
        $parts = is_array($given) ? $given : explode(',', is_scalar($given) ? (string) $given : '');

        return array_values(
            array_filter(array_map(fn (mixed $part): string => is_scalar($part) ? trim((string) $part) : '', $parts), fn (string $part): bool => $part !== ''),
        );
    }
}
