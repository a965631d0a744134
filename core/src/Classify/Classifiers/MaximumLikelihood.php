<?php

namespace Chorometra\Core\Classify\Classifiers;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Assigned;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Classify\Models\Method;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\SquareForms;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Classify\Models\Whole;
use Chorometra\Core\Problem;
use Chorometra\Core\Stats\ChiSquare;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;

/** The class that is the most likely one where each is normally distributed. */
final readonly class MaximumLikelihood implements Classifier
{
    /** Steps of a deviation in which the probability of a distance is looked up. */
    private const STEPS = 256;

    private SquareForms $forms;

    /** @var list<float> logarithms of determinants less those of priors, by class; differences of the sums are logarithms of likelihoods, doubled */
    private array $constants;

    /** Square of a distance beyond which a case belongs nowhere. */
    private float $limit;

    /**
     * @param  list<int>  $codes  by class
     * @param  list<Normal>  $classes
     * @param  list<float>  $priors
     * @param  float|null  $reject  probability that a case of the class lies as far as that or farther
     */
    public function __construct(private array $codes, private int $nodata, array $classes, array $priors, ?float $reject)
    {
        $means = array_map(fn (Normal $class): array => $class->means, $classes);
        $order = SquareForms::order($means, array_map(
            fn (int $band): float => array_sum(array_map(fn (Normal $class): float => $class->covariances[$band][$band], $classes)),
            array_keys($means[0] ?? []),
        ));
        $forms = array_map(fn (Normal $class): ?array => self::rows($class, $order), $classes);
        if (in_array(null, $forms, true)) {
            // what can just be turned around in one order may not in another
            $order = array_keys($order);
            $forms = array_map(fn (Normal $class): ?array => self::rows($class, $order), $classes);
        }
        $this->constants = array_map(fn (Normal $class, float $prior): float => $class->logDeterminant - 2.0 * log($prior), $classes, $priors);
        $this->limit = $reject === null ? INF : ChiSquare::limit($reject, count($order));
        $this->forms = new SquareForms($codes, $nodata, $order, SquareForms::ordered($means, $order), array_values(array_filter($forms)), $this->constants,
            array_fill(0, count($classes), $this->limit));
    }

    public static function method(): Method
    {
        return new Method(
            'maximum-likelihood',
            3,
            'most likely class, assuming normal distributions',
            'Swain & Davis 1978, Remote Sensing: The Quantitative Approach, chapter 3 (nearest mean, maximum likelihood with chi-square limit)',
            [
                Setting::texts('priors', 'Prior probabilities, such as “water: 30%”; “as-taught”: by training area. Empty: equal.'),
                Setting::number('least-probability', null, 'Leaves pixels unlabelled that are farther from the mean than all but this share of their '
                    .'class.', '%', 0, 50),
            ],
            'least-probability',
            'posterior',
            ['probability', null],
            hasPosteriors: true,
        );
    }

    public static function learn(Samples $samples, Training $training, Context $context): array
    {
        $classes = $samples->comoments();
        foreach ($classes as $class => $own) {
            self::needNormal($samples->names()[$class], $own, $training);
        }

        return [
            'priors' => self::priors($samples, $training->texts('priors')),
            'means' => array_map(fn (Comoments $class): array => $class->means, $classes),
            'covariances' => array_map(fn (Comoments $class): array => $class->covariances(), $classes),
        ];
    }

    public static function restore(Model $model, int $nodata): self
    {
        [$classes, $bands] = [count($model->codes()), count($model->bands)];
        $covariances = (array) ($model->parameters['covariances'] ?? []);
        $normals = [];
        foreach ($model->table('means', $classes, $bands) as $class => $mean) {
            $normal = Normal::of($mean, Model::numbers($covariances[$class] ?? null, $bands, $bands, 'covariances'));
            $normals[] = $normal instanceof Normal ? $normal : throw Problem::input('the covariances of class '.($class + 1).' can\'t be inverted.');
        }
        $priors = $model->row('priors', $classes);
        if (min($priors) <= 0.0) {
            throw Problem::input('the value at parameters / priors must be positive.');
        }

        return new self($model->codes(), $nodata, $normals, $priors, $model->limit());
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        $only = $tells || $shares ? null : $this->forms->codes($columns, $count);
        if ($only !== null) {
            return new Assigned($only);
        }
        $squares = $this->forms->squares($columns, $count);
        $codes = $sure = $near = [];
        $classes = count($this->codes);
        self::judged($codes, $sure, $near, $squares, Whole::of($columns, $count), $this->codes, $this->constants, $this->limit, $this->nodata, $classes,
            $count);

        return new Assigned($codes, $sure, self::looked($near, $this->table(count($columns)), $count),
            $shares ? self::posteriors($squares, $classes, $count) : []);
    }

    /**
     * Rows of the whitening with the bands in another order; null where rounding leaves none.
     *
     * @param  list<int>  $order
     * @return list<list<float>>|null
     */
    private static function rows(Normal $class, array $order): ?array
    {
        $turned = Normal::of($class->means, array_map(
            fn (int $i): array => array_map(fn (int $j): float => $class->covariances[$i][$j], $order),
            $order,
        ));

        return $turned instanceof Normal
            ? array_map(fn (array $row, int $i): array => array_slice($row, 0, $i + 1), $turned->whitening, array_keys($turned->whitening))
            : null;
    }

    /** @throws Problem where a class has too few cases, or bands that are alike */
    private static function needNormal(string $name, Comoments $own, Training $training): void
    {
        $bands = count($training->bands);
        if ($own->count <= $bands) {
            throw Problem::input(
                sprintf(
                    'Class “%s” has %d %s, and with %d bands more than %d are needed for its covariances: draw more areas, or use fewer bands.',
                    $name,
                    $own->count,
                    $training->ofSegments ? 'segments' : 'pixels',
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
        $names = array_map(fn (int $band): string => $training->bands[$band][0], $normal);
        throw Problem::input(
            count($names) === 1
                ? "Class “{$name}” is constant in $names[0]: leave out that band, or draw more areas."
                : "In class “{$name}” $names[1] is a linear function of $names[0] and the bands before: leave one out, or draw more areas.",
            'bands',
        );
    }

    /**
     * @param  list<string>  $told  name:share of classes that are more or less likely than others, or “as-taught”
     * @return list<float> by class
     */
    private static function priors(Samples $samples, array $told): array
    {
        $names = $samples->names();
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

    /** @return list<float> the probability of a distance or a larger one, in steps */
    private function table(int $bands): array
    {
        $table = [];
        for ($k = 0, $value = 1.0; $value > 1e-12; $k++) {
            $value = ChiSquare::above(($k / self::STEPS) ** 2, $bands);
            $table[] = $value;
        }
        $table[] = 0.0;

        return $table;
    }

    /**
     * @param  list<float>  $squares
     * @param  list<float>  $table
     * @return list<float>
     */
    private static function looked(array $squares, array $table, int $count): array
    {
        $last = count($table) - 1;
        for ($i = 0; $i < $count; $i++) {
            $value = $squares[$i];
            if ($value === $value) {
                $at = sqrt($value) * self::STEPS;
                $step = $at < $last ? (int) $at : $last - 1;
                $part = $at < $last ? $at - $step : 1.0;
                $squares[$i] = $table[$step] + $part * ($table[$step + 1] - $table[$step]);
            }
        }

        return $squares;
    }

    /**
     * The most likely class of each case, its posterior, and the square of its distance.
     *
     * @param  list<int>  $codes
     * @param  list<float>  $sure
     * @param  list<float>  $near
     * @param  list<list<float>>  $squares
     * @param  list<bool>  $valid
     * @param  list<int>  $names
     * @param  list<float>  $constants
     */
    private static function judged(
        array &$codes,
        array &$sure,
        array &$near,
        array $squares,
        array $valid,
        array $names,
        array $constants,
        float $limit,
        int $nodata,
        int $classes,
        int $count,
    ): void {
        for ($i = 0; $i < $count; $i++) {
            if (! $valid[$i]) {
                $codes[] = $nodata;
                $sure[] = NAN;
                $near[] = NAN;

                continue;
            }
            $best = INF;
            $at = 0;
            for ($class = 0; $class < $classes; $class++) {
                $sum = $squares[$class][$i];
                if ($sum < $best) {
                    $best = $sum;
                    $at = $class;
                }
            }
            $own = $best - $constants[$at];
            $codes[] = $own <= $limit ? $names[$at] : 0;
            $all = 1.0;
            for ($class = 0; $class < $classes; $class++) {
                $apart = $best - $squares[$class][$i];
                if ($class !== $at && $apart > -80.0) {
                    $all += exp(0.5 * $apart);
                }
            }
            $sure[] = 1.0 / $all;
            $near[] = $own;
        }
    }

    /**
     * @param  list<list<float>>  $squares
     * @return list<list<float>>
     */
    private static function posteriors(array $squares, int $classes, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $best = INF;
            for ($class = 0; $class < $classes; $class++) {
                $best = $squares[$class][$i] < $best ? $squares[$class][$i] : $best;
            }
            $all = 0.0;
            for ($class = 0; $class < $classes; $class++) {
                $squares[$class][$i] = exp(0.5 * ($best - $squares[$class][$i]));
                $all += $squares[$class][$i];
            }
            for ($class = 0; $class < $classes; $class++) {
                $squares[$class][$i] /= $all;
            }
        }

        return $squares;
    }
}
