<?php

namespace Chorometra\Core\Raster;

/** The classes of a class map: code => name and colour (#rrggbb). Code 0 is unlabelled and has no entry. */
final readonly class Legend
{
    /** @param  array<int, array{name: string, colour: string}>  $classes */
    public function __construct(public array $classes) {}

    /**
     * @param  list<string>  $names
     * @param  list<string>  $colours
     */
    public static function of(array $names, array $colours = []): self
    {
        $classes = [];
        foreach (ClassColours::of($names, $colours) as $index => $colour) {
            $classes[$index + 1] = ['name' => $names[$index], 'colour' => $colour];
        }

        return new self($classes);
    }

    public function name(int $code): string
    {
        return $this->classes[$code]['name'] ?? ($code === 0 ? 'unlabelled' : "class $code");
    }

    public function codeOf(string $name): ?int
    {
        foreach ($this->classes as $code => $class) {
            if ($class['name'] === $name) {
                return $code;
            }
        }

        return null;
    }

    /** @return list<int> */
    public function codes(): array
    {
        return array_keys($this->classes);
    }

    /** @return list<array{value: int, name: string, colour: string}> */
    public function toArray(): array
    {
        $rows = [];
        foreach ($this->classes as $code => $class) {
            $rows[] = ['value' => $code, 'name' => $class['name'], 'colour' => $class['colour']];
        }

        return $rows;
    }
}
