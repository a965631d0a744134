<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Format\Document;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Stats\NearestNeighbours;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Stats\RandomForest;
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

    /** @param  array<string, mixed>  $told  held to its schema */
    public static function of(array $told, string $name): self
    {
        $method = Method::tryFrom((string) $told['method']) ?? throw Problem::input(
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
            $method,
            new Legend($classes),
            $bands,
            (array) $told['parameters'],
            (array) ($told['taught-on'] ?? []),
            ($told['cases'] ?? '') === 'segments',
        );
        try {
            $model->assigner(255);
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
            'method' => $this->method->value,
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
    public function assigner(int $nodata): Assigner
    {
        $codes = $this->legend->codes();
        $classes = count($codes);
        $bands = count($this->bands);
        $reject = isset($this->parameters['reject']) ? (float) $this->parameters['reject'] : null;
        $means = in_array($this->method, [Method::NearestNeighbours, Method::RandomForest], true) ? [] : $this->table('means', $classes, $bands);
        switch ($this->method) {
            case Method::NearestMean:
                return Distances::toMeans($codes, $nodata, $means, $this->row('scales', $bands), $this->row('spreads', $classes), $reject);
            case Method::ScaledDistance:
                $deviations = $this->table('deviations', $classes, $bands);
                if (min(array_map(min(...), $deviations)) <= 0.0) {
                    throw Problem::input('the value at parameters / deviations must be positive.');
                }

                return Distances::scaled($codes, $nodata, $means, $deviations, $reject);
            case Method::MaximumLikelihood:
                $covariances = (array) ($this->parameters['covariances'] ?? []);
                $normals = [];
                foreach ($means as $class => $mean) {
                    $normal = Normal::of($mean, self::numbers($covariances[$class] ?? null, $bands, $bands, 'covariances'));
                    $normals[] = $normal instanceof Normal ? $normal : throw Problem::input(
                        'the covariances of class '.($class + 1).' can\'t be inverted.',
                    );
                }
                $priors = $this->row('priors', $classes);
                if (min($priors) <= 0.0) {
                    throw Problem::input('the value at parameters / priors must be positive.');
                }

                return Distances::likelihoods($codes, $nodata, $normals, $priors, $reject);
            case Method::SpectralAngle:
                foreach ($means as $mean) {
                    if (array_filter($mean) === []) {
                        throw Problem::input('a class that is 0 in all bands has no direction.');
                    }
                }

                return new Angles($codes, $nodata, $means, $reject);
            case Method::NearestNeighbours:
                $answers = $this->answers($classes);
                $values = self::numbers($this->parameters['values'] ?? null, count($answers), $bands, 'values');
                $standard = ($this->parameters['standardised'] ?? false) === true
                    ? new Standardisation(array_column($this->bands, 'mean'), array_column($this->bands, 'deviation')) : null;
                $columns = array_map(fn (int $band): array => array_column($values, $band), range(0, $bands - 1));
                $own = $standard === null ? $columns : array_map($standard->apply(...), array_keys($columns), $columns);
                $neighbours = max(1, (int) ($this->parameters['neighbours'] ?? 5));

                return new NeighbourClassifier($codes, $nodata, new NearestNeighbours($own, $answers, $classes, $neighbours), $reject, $standard);
            case Method::RandomForest:
                if ($bands > 256) {
                    throw Problem::input('a forest takes 256 bands at most.');
                }

                return new ForestClassifier($codes, $nodata, $bands, RandomForest::of($this->trees($bands, $classes), $classes), $reject);
        }
    }

    /** @return list<int> */
    private function answers(int $classes): array
    {
        $answers = array_values(array_map(intval(...), (array) ($this->parameters['answers'] ?? [])));
        if ($answers === [] || min($answers) < 0 || max($answers) >= $classes) {
            throw Problem::input('the values at parameters / answers are not classes of it.');
        }

        return $answers;
    }

    /** @return list<array{list<int>, list<float>, list<int>, list<float>}> */
    private function trees(int $bands, int $classes): array
    {
        $trees = [];
        foreach (array_values((array) ($this->parameters['trees'] ?? [])) as $number => $tree) {
            $asks = array_values(array_map(intval(...), (array) ($tree['bands'] ?? [])));
            $limits = array_values(array_map(floatval(...), (array) ($tree['limits'] ?? [])));
            $next = array_values(array_map(intval(...), (array) ($tree['next'] ?? [])));
            $leaves = [];
            foreach ($asks as $node => $band) {
                $isLeaf = $band < 0;
                $to = $next[$node] ?? -1;
                // a node leads to later ones only: no tree runs in circles
                if ($isLeaf ? $to < 0 || $to >= $classes : $band >= $bands || $to <= $node || $to + 1 >= count($asks)) {
                    throw Problem::input('tree '.($number + 1).' leads nowhere at node '.($node + 1).'.');
                }
                if ($isLeaf) {
                    $shares = array_fill(0, $classes, 0.0);
                    $shares[$to] = 1.0;
                    $next[$node] = count($leaves);
                    array_push($leaves, ...$shares);
                }
            }
            if ($asks === [] || count($limits) !== count($asks) || count($next) !== count($asks)) {
                throw Problem::input('tree '.($number + 1).' does not fit together.');
            }
            $trees[] = [$asks, $limits, $next, $leaves];
        }

        return $trees !== [] ? $trees : throw Problem::input('it has no trees.');
    }

    /** @return list<float> */
    private function row(string $name, int $length): array
    {
        $row = array_values((array) ($this->parameters[$name] ?? []));
        if (count($row) !== $length || array_filter($row, fn (mixed $value): bool => ! is_int($value) && ! is_float($value)) !== []) {
            throw Problem::input("the value at parameters / $name are not $length numbers.");
        }

        return array_map(floatval(...), $row);
    }

    /** @return list<list<float>> */
    private function table(string $name, int $rows, int $columns): array
    {
        return self::numbers($this->parameters[$name] ?? null, $rows, $columns, $name);
    }

    /** @return list<list<float>> */
    private static function numbers(mixed $told, int $rows, int $columns, string $name): array
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
