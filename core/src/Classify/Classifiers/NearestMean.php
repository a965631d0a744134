<?php

namespace Chorometra\Core\Classify\Classifiers;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Method;
use Chorometra\Core\Classify\Models\MinimumDistance;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\SquareForms;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Work\Context;

/** The class whose mean is the nearest, where all classes measure alike. */
final readonly class NearestMean extends MinimumDistance
{
    /**
     * @param  list<int>  $codes
     * @param  list<list<float>>  $means
     * @param  list<float>  $scales  by band: its deviation where bands are standardised, else 1
     * @param  list<float>  $spreads  by class: root mean square distance of its own pixels from its mean
     */
    public static function of(array $codes, int $nodata, array $means, array $scales, array $spreads, ?float $reject = null): self
    {
        $factors = array_map(fn (float $scale): float => $scale > 0.0 ? 1.0 / $scale : 0.0, $scales);
        $order = SquareForms::order($means, array_map(fn (float $scale): float => $scale * $scale, $scales));
        $units = array_map(fn (float $spread): float => $spread * $spread, $spreads);

        return new self($codes, $nodata, $means, array_fill(0, count($means), $factors), $order, $units, $reject);
    }

    public static function method(): Method
    {
        return new Method(
            'nearest-mean',
            1,
            'nearest class mean (Euclidean distance)',
            'Swain & Davis 1978, Remote Sensing: The Quantitative Approach, chapter 3 (nearest mean, maximum likelihood with chi-square limit)',
            [Method::mostDeviations(), Method::standardise()],
            'most-deviations',
            distance: ['distance', 'deviations'],
        );
    }

    public static function learn(Samples $samples, Training $training, Context $context): array
    {
        $scales = $training->standardises() ? $training->standardisation($samples)->deviations : array_fill(0, count($training->bands), 1.0);
        $classes = $samples->comoments();

        return [
            'standardised' => $training->standardises(),
            'scales' => $scales,
            'means' => array_map(fn (Comoments $class): array => $class->means, $classes),
            'spreads' => array_map(fn (Comoments $class): float => sqrt(array_sum(array_map(
                fn (int $band): float => $scales[$band] > 0.0 ? $class->products[$band][$band] / $class->count / $scales[$band] ** 2 : 0.0,
                array_keys($scales),
            ))), $classes),
        ];
    }

    public static function restore(Model $model, int $nodata): self
    {
        [$classes, $bands] = [count($model->codes()), count($model->bands)];
        $means = $model->table('means', $classes, $bands);

        return self::of($model->codes(), $nodata, $means, $model->row('scales', $bands), $model->row('spreads', $classes), $model->limit());
    }
}
