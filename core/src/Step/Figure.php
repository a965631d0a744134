<?php

namespace Chorometra\Core\Step;

/** A figure that a kind reports beside its statistics: what it is called, of which type, and in which unit. */
final readonly class Figure
{
    /**
     * @param  string  $name  where it stands among the figures; “sun.azimuth” is a part of another
     * @param  array<string, string|null>  $columns  units of the columns of a table, by name
     */
    private function __construct(public string $name, public FigureType $type, public string $label, public ?string $unit = null, public array $columns = []) {}

    public static function number(string $name, string $label, ?string $unit = null): self
    {
        return new self($name, FigureType::Value, $label, $unit);
    }

    /** A part of one, shown in per cent. */
    public static function share(string $name, string $label): self
    {
        return new self($name, FigureType::Value, $label, '%');
    }

    public static function text(string $name, string $label): self
    {
        return new self($name, FigureType::Text, $label);
    }

    /** Numbers or words in a row. */
    public static function list(string $name, string $label, ?string $unit = null): self
    {
        return new self($name, FigureType::List, $label, $unit);
    }

    /** Values that have names of their own, such as the metadata of a scene. */
    public static function named(string $name, string $label): self
    {
        return new self($name, FigureType::Named, $label);
    }

    /**
     * Rows that have the same columns.
     *
     * @param  array<string, string|null>  $columns  their units, by name; “%” for parts of one; none where the rows themselves say which there are
     */
    public static function table(string $name, string $label, array $columns): self
    {
        return new self($name, FigureType::Table, $label, columns: $columns);
    }

    /**
     * The same with columns of numbers that only the rows name.
     *
     * @param  list<int|string>  $columns
     */
    public function with(array $columns): self
    {
        return new self($this->name, $this->type, $this->label, $this->unit, array_fill_keys(array_map(strval(...), $columns), null));
    }

    /**
     * Lines over what the first column tells: rows as those of a table. It may grow while the work goes on (Context::grow).
     *
     * @param  array<string, string|null>  $columns  their units, by name; the first runs along
     */
    public static function curve(string $name, string $label, array $columns): self
    {
        return new self($name, FigureType::Curve, $label, columns: $columns);
    }

    /** How often values lie where: `minimum`, `maximum`, and `counts` in bins of one width between them. */
    public static function histogram(string $name, string $label, ?string $unit = null): self
    {
        return new self($name, FigureType::Histogram, $label, $unit);
    }

    /** Classes with their pixels, shares and areas or points. */
    public static function classes(string $name, string $label): self
    {
        return new self($name, FigureType::Classes, $label);
    }

    /** Statistics of several images, by name. */
    public static function images(string $name): self
    {
        return new self($name, FigureType::Images, $name);
    }

    /** What the desk shows in a part of its own. */
    public static function apart(string $name): self
    {
        return new self($name, FigureType::Apart, $name);
    }
}
