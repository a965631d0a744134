<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Classify\Training\Samples;
use Chorometra\Core\Problem;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Stats\RandomForest;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** From what lies in training areas to a model. */
final readonly class Teacher
{
    /**
     * @param  list<array{string, string|null}>  $bands  names and units
     * @param  bool  $ofSegments  cases are segments
     */
    public function __construct(private array $bands, private TrainingOptions $options, private bool $ofSegments = false) {}

    /** @throws Problem where a class can't be learnt, with what is in the way */
    public function taught(Samples $samples, ?Context $context = null): Model
    {
        $samples->check($this->ofSegments ? 'segment' : 'pixel');
        $moments = array_map(Moments::of(...), $samples->columns);
        $told = [];
        foreach ($this->bands as $k => [$name, $unit]) {
            $told[] = ['name' => $name, 'unit' => $unit, 'mean' => $moments[$k]->mean, 'deviation' => sqrt($moments[$k]->squares / max(1, $moments[$k]->count)),
                'minimum' => $moments[$k]->minimum, 'maximum' => $moments[$k]->maximum];
        }
        $parameters = match ($this->options->method) {
            Method::NearestMean => $this->means($samples, array_column($told, 'deviation')),
            Method::ScaledDistance => $this->scaled($samples),
            Method::MaximumLikelihood => $this->likelihoods($samples),
            Method::SpectralAngle => $this->directions($samples),
            Method::NearestNeighbours => $this->neighbours($samples),
            Method::RandomForest => $this->forest($samples, $context),
        };
        if ($this->options->reject !== null) {
            $parameters['reject'] = $this->options->reject;
        }

        return new Model($this->options->method, $samples->legend, $told, $parameters, ofSegments: $this->ofSegments);
    }

    /** Bands of several units, or of none, can't be compared by their size. */
    private function standardises(): bool
    {
        $units = array_unique(array_column($this->bands, 1), SORT_REGULAR);

        return $this->options->standardise ?? (count($units) > 1 || ($units === [null] && count($this->bands) > 1));
    }

    /** @return list<Comoments> by class */
    public static function comoments(Samples $samples): array
    {
        return array_map(fn (array $cases): Comoments => Comoments::of($samples->only($cases)->columns, count($cases)), $samples->byClass());
    }

    /**
     * @param  list<float>  $deviations
     * @return array<string, mixed>
     */
    private function means(Samples $samples, array $deviations): array
    {
        $scales = $this->standardises() ? $deviations : array_fill(0, count($deviations), 1.0);
        $classes = self::comoments($samples);

        return [
            'standardised' => $this->standardises(),
            'scales' => $scales,
            'means' => array_map(fn (Comoments $class): array => $class->means, $classes),
            'spreads' => array_map(fn (Comoments $class): float => sqrt(array_sum(array_map(
                fn (int $band): float => $scales[$band] > 0.0 ? $class->products[$band][$band] / $class->count / $scales[$band] ** 2 : 0.0,
                array_keys($scales),
            ))), $classes),
        ];
    }

    /** @return array<string, mixed> */
    private function scaled(Samples $samples): array
    {
        $classes = self::comoments($samples);
        $deviations = [];
        foreach ($classes as $class => $own) {
            foreach (array_keys($this->bands) as $band) {
                if ($own->isConstant($band)) {
                    throw Problem::input(
                        "Class “{$samples->names()[$class]}” is constant in {$this->bands[$band][0]}, so its standard deviation is 0: "
                            .'leave out that band, or draw more areas.',
                        'areas',
                    );
                }
                $deviations[$class][] = $own->deviation($band);
            }
        }

        return ['means' => array_map(fn (Comoments $class): array => $class->means, $classes), 'deviations' => $deviations];
    }

    /** @return array<string, mixed> */
    private function likelihoods(Samples $samples): array
    {
        $classes = self::comoments($samples);
        foreach ($classes as $class => $own) {
            $this->needNormal($samples->names()[$class], $own);
        }

        return [
            'priors' => $this->priors($samples),
            'means' => array_map(fn (Comoments $class): array => $class->means, $classes),
            'covariances' => array_map(fn (Comoments $class): array => $class->covariances(), $classes),
        ];
    }

    /** @throws Problem where a class has too few cases, or bands that are alike */
    private function needNormal(string $name, Comoments $own): void
    {
        $bands = count($this->bands);
        if ($own->count <= $bands) {
            throw Problem::input(
                sprintf(
                    'Class “%s” has %d %s, and with %d bands more than %d are needed for its covariances: draw more areas, or use fewer bands.',
                    $name,
                    $own->count,
                    $this->ofSegments ? 'segments' : 'pixels',
                    $bands,
                    $bands,
                ),
                'areas',
            );
        }
        $normal = Normal::of($own->means, $own->covariances());
        if ($normal instanceof Normal) {
            return;
        }
        $names = array_map(fn (int $band): string => $this->bands[$band][0], $normal);
        throw Problem::input(
            count($names) === 1
                ? "Class “{$name}” is constant in $names[0]: leave out that band, or draw more areas."
                : "In class “{$name}” $names[1] is a linear function of $names[0] and the bands before: leave one out, or draw more areas.",
            'bands',
        );
    }

    /** @return array<string, mixed> */
    private function directions(Samples $samples): array
    {
        $means = array_map(fn (Comoments $class): array => $class->means, self::comoments($samples));
        foreach ($means as $class => $mean) {
            if (array_filter($mean) === []) {
                throw Problem::input("Class “{$samples->names()[$class]}” is 0 in all bands, and so has no direction.", 'areas');
            }
        }

        return ['means' => $means];
    }

    /** @return array<string, mixed> */
    private function neighbours(Samples $samples): array
    {
        $some = $samples->atMost($this->options->most);

        return [
            'neighbours' => $this->options->neighbours,
            'standardised' => $this->standardises(),
            'values' => $some->columns === [] ? [] : array_map(fn (float ...$row): array => $row, ...$some->columns),
            'answers' => $some->answers,
        ];
    }

    /** @return array<string, mixed> */
    private function forest(Samples $samples, ?Context $context): array
    {
        if (count($this->bands) > 256) {
            throw Problem::call('A random forest uses at most 256 bands: choose some.', 'bands');
        }
        $some = $samples->atMost($this->options->most);
        $classes = count($samples->legend->classes);
        $grow = fn (int $from, int $trees): RandomForest => RandomForest::grown($some->columns, $some->answers, $classes, $trees, $this->options->seed,
            depth: $this->options->depth ?? PHP_INT_MAX, from: $from);
        if ($context === null) {
            return ['trees' => self::told($grow(0, $this->options->trees), $classes)];
        }
        $parts = [];
        $each = max(1, (int) ceil($this->options->trees / max(1, 4 * $context->workers)));
        Workers::run((int) ceil($this->options->trees / $each), $context, 'growing trees',
            fn (int $part): array => self::told($grow($part * $each, min($each, $this->options->trees - $part * $each)), $classes),
            function (int $part, mixed $trees) use (&$parts): void {
                $parts[$part] = $trees;
            });
        ksort($parts);

        return ['trees' => array_merge(...$parts)];
    }

    /** @return list<array{bands: list<int>, limits: list<float>, next: list<int>}> a leaf has band -1, and its class as next */
    private static function told(RandomForest $forest, int $classes): array
    {
        $told = [];
        foreach ($forest->trees as [$bands, $limits, $next, $leaves]) {
            foreach ($bands as $node => $band) {
                if ($band < 0) {
                    $own = array_slice($leaves, $next[$node], $classes);
                    $next[$node] = (int) array_search(max($own), $own, true);
                }
            }
            $told[] = ['bands' => $bands, 'limits' => $limits, 'next' => $next];
        }

        return $told;
    }

    /** @return list<float> by class */
    private function priors(Samples $samples): array
    {
        $names = $samples->names();
        $told = $this->options->priors;
        if ($told === ['as-taught']) {
            return array_map(fn (array $cases): float => count($cases) / $samples->count(), $samples->byClass());
        }
        $given = [];
        foreach ($told as $one) {
            [$name, $share] = [trim((string) substr($one, 0, (int) strrpos($one, ':'))), trim(substr($one, (int) strrpos($one, ':') + 1))];
            $isPercent = str_ends_with($share, '%');
            $value = rtrim($share, '% ');
            $place = array_search($name, $names, true);
            if ($place === false || ! is_numeric($value) || $value <= 0.0) {
                throw Problem::call("“{$one}” is not a prior: give a class and its share, such as “{$names[0]}: 0.2”, or “as-taught” alone.", 'priors');
            }
            $given[$place] = (float) $value / ($isPercent ? 100 : 1);
        }
        $left = count($names) - count($given);
        $rest = 1.0 - array_sum($given);
        if (($left > 0 && $rest <= 0.0) || ($left === 0 && abs($rest) > 1e-6)) {
            throw Problem::call(
                'The priors add up to '.round(array_sum($given), 6).($left > 0 ? ': no share is left for the other classes.' : ', not to 1.'),
                'priors',
            );
        }

        return array_map(fn (int $place): float => $given[$place] ?? $rest / $left, array_keys($names));
    }
}
