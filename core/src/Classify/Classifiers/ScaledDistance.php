<?php

namespace Chorometra\Core\Classify\Classifiers;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Method;
use Chorometra\Core\Classify\Models\MinimumDistance;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\SquareForms;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Problem;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Work\Context;

/** The class whose mean is the nearest, in standard deviations of each class and band. */
final readonly class ScaledDistance extends MinimumDistance
{
    public static function method(): Method
    {
        return new Method(
            'scaled-distance',
            2,
            'nearest class mean, distances in standard deviations of each class and band',
            'Swain & Davis 1978, Remote Sensing: The Quantitative Approach, chapter 3 (nearest mean, maximum likelihood with chi-square limit)',
            [Method::mostDeviations()],
            'most-deviations',
            distance: ['distance', 'deviations'],
        );
    }

    public static function learn(Samples $samples, Training $training, Context $context): array
    {
        $classes = $samples->comoments();
        $deviations = [];
        foreach ($classes as $class => $own) {
            foreach (array_keys($training->bands) as $band) {
                if ($own->isConstant($band)) {
                    throw Problem::input(
                        "Class “{$samples->names()[$class]}” is constant in {$training->bands[$band][0]}, so its standard deviation is 0: "
                            .'leave out that band, or draw more areas.',
                        'areas',
                    );
                }
                $deviations[$class][] = $own->deviation($band);
            }
        }

        return ['means' => array_map(fn (Comoments $class): array => $class->means, $classes), 'deviations' => $deviations];
    }

    public static function restore(Model $model, int $nodata): self
    {
        [$classes, $bands] = [count($model->codes()), count($model->bands)];
        $means = $model->table('means', $classes, $bands);
        $deviations = $model->table('deviations', $classes, $bands);
        if (min(array_map(min(...), $deviations)) <= 0.0) {
            throw Problem::input('the value at parameters / deviations must be positive.');
        }
        $order = SquareForms::order($means, array_map(
            fn (int $band): float => array_sum(array_map(fn (array $own): float => $own[$band] ** 2, $deviations)),
            array_keys($means[0] ?? []),
        ));
        $factors = array_map(fn (array $own): array => array_map(fn (float $deviation): float => 1.0 / $deviation, $own), $deviations);

        return new self($model->codes(), $nodata, $means, $factors, $order, array_fill(0, $classes, (float) $bands), $model->limit());
    }
}
