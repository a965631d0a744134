<?php

namespace Chorometra\Core\Raster;

/** The classes of a class map: code => name and colour (#rrggbb). Code 0 is unlabelled and has no entry. */
final readonly class Legend
{
    /** Colours for classes that were given none: Paul Tol's light scheme, made to be told apart (SRON/EPS/TN/09-002, 2021). */
    public const COLOURS = ['#77aadd', '#ee8866', '#eedd88', '#44bb99', '#ffaabb', '#99ddff', '#bbcc33', '#aaaa00', '#dddddd'];

    /** @param  array<int, array{name: string, colour: string}>  $classes */
    public function __construct(public array $classes) {}

    /**
     * @param  list<string>  $names
     * @param  list<string>  $colours
     */
    public static function of(array $names, array $colours = []): self
    {
        $classes = [];
        foreach ($names as $index => $name) {
            $classes[$index + 1] = ['name' => $name, 'colour' => $colours[$index] ?? self::COLOURS[$index % count(self::COLOURS)]];
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
