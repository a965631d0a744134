<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Format\Document;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Stats\Standardisation;

/** What was learnt from training areas, with everything that is needed to use it on another image: one JSON document. */
final readonly class Model
{
    /**
     * @param  list<array{name: string, unit: string|null, mean: float, deviation: float, minimum: float, maximum: float}>  $bands  in order
     * @param  array<string, mixed>  $parameters  of the method
     * @param  array<string, mixed>  $taughtOn
     */
    public function __construct(
        public Method $method,
        public Legend $legend,
        public array $bands,
        public array $parameters,
        public array $taughtOn = [],
        public bool $ofSegments = false,
    ) {}

    /** @throws Problem where the file is no model, or does not fit together */
    public static function read(string $path): self
    {
        return self::of(Document::read($path, 'model'), basename($path));
    }

    /**
     * @param  array<string, mixed>  $told  held to its schema
     *
     * @throws Problem where the document is no model that can be used
     */
    public static function of(array $told, string $name): self
    {
        $classifier = Classifiers::all()[(string) $told['method']] ?? throw Problem::input(
            "$name was made by a method that is not supported: {$told['method']}.",
            'model',
        );
        $classes = [];
        foreach ((array) $told['classes'] as $class) {
            $classes[(int) $class['value']] = ['name' => (string) $class['name'], 'colour' => (string) $class['colour']];
        }
        $bands = array_map(fn (array $band): array => [
            'name' => (string) $band['name'],
            'unit' => isset($band['unit']) ? (string) $band['unit'] : null,
            'mean' => (float) $band['mean'],
            'deviation' => (float) $band['deviation'],
            'minimum' => (float) $band['minimum'],
            'maximum' => (float) $band['maximum'],
        ], array_values((array) $told['bands']));
        $model = new self(
            $classifier::method(),
            new Legend($classes),
            $bands,
            (array) $told['parameters'],
            (array) ($told['taught-on'] ?? []),
            ($told['cases'] ?? '') === 'segments',
        );
        try {
            $model->classifier(255);
        } catch (Problem $problem) {
            throw Problem::input("$name is corrupt: {$problem->getMessage()}", 'model');
        }

        return $model;
    }

    /** @return array<string, mixed> */
    public function document(): array
    {
        return [
            'type' => 'model',
            'version' => 1,
            'method' => $this->method->name,
            'cases' => $this->ofSegments ? 'segments' : 'pixels',
            'classes' => $this->legend->toArray(),
            'bands' => $this->bands,
            'parameters' => $this->parameters,
            'taught-on' => $this->taughtOn === [] ? new \stdClass : $this->taughtOn,
        ];
    }

    /** @return list<string> */
    public function names(): array
    {
        return array_column($this->bands, 'name');
    }

    /**
     * @param  int  $nodata  code for what lacks a value
     *
     * @throws Problem where the parameters do not fit together
     */
    public function classifier(int $nodata): Classifier
    {
        return Classifiers::all()[$this->method->name]::restore($this, $nodata);
    }

    /** @return list<int> by class */
    public function codes(): array
    {
        return $this->legend->codes();
    }

    /** The limit beyond which a case stays unlabelled, in the measure of the method. */
    public function limit(): ?float
    {
        return isset($this->parameters['reject']) ? (float) $this->parameters['reject'] : null;
    }

    /** By which values are divided before they are compared; null where they are compared as they are. */
    public function standardisation(): ?Standardisation
    {
        return ($this->parameters['standardised'] ?? false) === true
            ? new Standardisation(array_column($this->bands, 'mean'), array_column($this->bands, 'deviation')) : null;
    }

    /**
     * The class of each training sample that the model keeps.
     *
     * @return list<int> from 0
     *
     * @throws Problem where they are none
     */
    public function answers(): array
    {
        $answers = array_values(array_map(intval(...), (array) ($this->parameters['answers'] ?? [])));
        if ($answers === [] || min($answers) < 0 || max($answers) >= count($this->legend->classes)) {
            throw Problem::input('the values at parameters / answers are not classes of it.');
        }

        return $answers;
    }

    /**
     * A parameter that is a list of numbers.
     *
     * @return list<float>
     *
     * @throws Problem where they are not so many numbers
     */
    public function row(string $name, int $length): array
    {
        $row = array_values((array) ($this->parameters[$name] ?? []));
        if (count($row) !== $length || array_filter($row, fn (mixed $value): bool => ! is_int($value) && ! is_float($value)) !== []) {
            throw Problem::input("the value at parameters / $name are not $length numbers.");
        }

        return array_map(floatval(...), $row);
    }

    /**
     * A parameter that is a table of numbers.
     *
     * @return list<list<float>>
     *
     * @throws Problem where they are not so many
     */
    public function table(string $name, int $rows, int $columns): array
    {
        return self::numbers($this->parameters[$name] ?? null, $rows, $columns, $name);
    }

    /**
     * @return list<list<float>>
     *
     * @throws Problem where they are not so many
     */
    public static function numbers(mixed $told, int $rows, int $columns, string $name): array
    {
        $table = is_array($told) ? array_values($told) : [];
        if (count($table) !== $rows) {
            throw Problem::input("the value at parameters / $name are not $rows rows.");
        }
        $made = [];
        foreach ($table as $row) {
            if (! is_array($row) || count($row) !== $columns || array_filter($row, fn (mixed $value): bool => ! is_int($value) && ! is_float($value)) !== []) {
                throw Problem::input("the value at parameters / $name are not $rows rows of $columns numbers.");
            }
            $made[] = array_values(array_map(floatval(...), $row));
        }

        return $made;
    }
}
