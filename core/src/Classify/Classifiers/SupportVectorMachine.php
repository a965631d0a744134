<?php

namespace Chorometra\Core\Classify\Classifiers;

use Chorometra\Core\Arithmetic\LinearForms;
use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Assigned;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Classify\Models\Method;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Classify\Models\Whole;
use Chorometra\Core\Problem;
use Chorometra\Core\Stats\KernelRows;
use Chorometra\Core\Stats\PairedMargins;
use Chorometra\Core\Stats\PairwiseCoupling;
use Chorometra\Core\Stats\Sigmoid;
use Chorometra\Core\Stats\Standardisation;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;

/** The class that wins most of its comparisons with one other: in each the border has the widest margin. */
final readonly class SupportVectorMachine implements Classifier
{
    /** Cases that are compared at a time. */
    private const CASES = 8192;

    /** Costs and multiples of gamma that are tried where they are chosen. */
    private const COSTS = [0.1, 1.0, 10.0, 100.0];

    private const GAMMAS = [0.25, 1.0, 4.0, 16.0];

    /** Training samples of a class that costs and gammas are tried on, and parts of them that each is validated on. */
    private const TRIED = 200;

    private const FOLDS = 5;

    /** @var list<list<int>> by pair: places of its support vectors */
    private array $places;

    /** @var list<list<float>> by pair: weights of these */
    private array $own;

    /** @var \Closure(list<list<float>>, int): list<list<float>>|null decisions by pair, where the kernel is linear */
    private ?\Closure $linear;

    private KernelRows $kernel;

    /**
     * @param  list<int>  $codes  by class
     * @param  list<list<float>>  $vectors  values by band, as they are compared
     * @param  float|null  $gamma  null: linear
     * @param  list<list<float>>  $weights  by pair of classes, (0, 1), (0, 2) … (1, 2) …, and vector
     * @param  list<float>  $offsets  by pair
     * @param  list<array{float, float}>  $sigmoids  by pair: how decisions become probabilities
     * @param  float|null  $reject  probability below which a case belongs nowhere
     * @param  Standardisation|null  $standard  what is done to values before they are compared
     */
    public function __construct(
        private array $codes,
        private int $nodata,
        array $vectors,
        ?float $gamma,
        array $weights,
        private array $offsets,
        private array $sigmoids,
        private ?float $reject,
        private ?Standardisation $standard = null,
    ) {
        $this->kernel = new KernelRows($vectors, count($vectors[0] ?? []), $gamma);
        $places = $own = [];
        foreach ($weights as $pair => $some) {
            $used = array_filter($some);
            [$places[$pair], $own[$pair]] = [array_keys($used), array_values($used)];
        }
        [$this->places, $this->own] = [$places, $own];
        $this->linear = $gamma === null ? LinearForms::of(
            array_map(fn (array $some): array => array_map(
                fn (array $column): float => array_sum(array_map(fn (float $weight, float $value): float => $weight * $value, $some, $column)),
                $vectors,
            ), $weights),
            array_map(fn (float $offset): float => -$offset, $offsets),
        ) : null;
    }

    public static function method(): Method
    {
        return new Method(
            'support-vectors',
            7,
            'support vector machine: widest margin between each pair of classes, then majority',
            'Cortes & Vapnik 1995, Machine Learning 20:273–297; Fan, Chen & Lin 2005, Journal of Machine Learning Research 6:1889–1918; Wu, Lin & Weng 2004, '
                .'Journal of Machine Learning Research 5:975–1005 (support vector machines, their working sets and probabilities)',
            [
                Setting::number('least-posterior', null, 'Leaves pixels unlabelled whose class has a smaller probability.', '%', 0, 100),
                Setting::choice('kernel', ['radial', 'linear'], 'radial', 'Shape of the borders between classes.', [
                    'radial' => 'curved (radial basis function)',
                    'linear' => 'straight',
                ]),
                Setting::number('cost', 1, 'Cost C of a training sample on the wrong side of the margin; a large one fits the training samples more closely.',
                    null, 1e-6, 1e9),
                Setting::number('gamma', null, 'Gamma of the radial kernel; a large one bends the borders more. Empty: 1 / (number of bands × variance).',
                    null, 1e-12, 1e12),
                Setting::yes('tune', false, 'Choose cost and gamma by cross-validation on the training samples, instead of the values above.'),
                Method::most(),
                Method::standardise(),
            ],
            'least-posterior',
            'posterior',
            hasPosteriors: true,
        );
    }

    public static function learn(Samples $samples, Training $training, Context $context): array
    {
        $standard = $training->standardises() ? $training->standardisation($samples) : null;
        $compared = fn (Samples $some): array => $standard?->columns($some->columns) ?? $some->columns;
        $some = $samples->atMost($training->whole('most'));
        $columns = $compared($some);
        $scale = PairedMargins::scale($columns);
        $isRadial = $training->text('kernel') === 'radial';
        $cost = $training->number('cost');
        $gamma = $isRadial ? $training->number('gamma') : null;
        $gamma = $gamma !== null && is_nan($gamma) ? $scale : $gamma;
        $remarks = [];
        if ($training->isOn('tune')) {
            $few = $some->atMost(self::TRIED);
            $folds = PairedMargins::folds($few->byClass(), $few->areas, self::FOLDS, $training->whole('seed'));
            $gammas = $isRadial ? array_map(fn (float $times): float => $times * $scale, self::GAMMAS) : [null];
            [$cost, $gamma, $agreement] = PairedMargins::chosen($compared($few), $few->byClass(), $folds, $gammas, self::COSTS, $context->part(0.0, 0.5));
            $remarks[] = sprintf('cost %g%s: %.1f %% agreement in cross-validation', $cost, $gamma === null ? '' : sprintf(', gamma %.4g', $gamma),
                100 * $agreement);
        }
        ['weights' => $weights, 'offsets' => $offsets, 'sigmoids' => $sigmoids, 'open' => $open] = PairedMargins::learnt(
            $columns,
            $some->byClass(),
            $cost,
            $gamma,
            $training->whole('seed'),
            $context->part(0.5, 1.0),
        );
        $used = array_values(array_filter(range(0, $some->count() - 1), fn (int $case): bool => array_filter(array_column($weights, $case)) !== []));
        $remarks[] = sprintf('%s of %s training samples are support vectors', number_format(count($used)), number_format($some->count()));
        if ($open > 0) {
            $remarks[] = "$open pairs of classes did not converge: lower the cost";
        }

        return [
            'kernel' => $isRadial ? 'radial' : 'linear',
            'cost' => $cost,
            'standardised' => $standard !== null,
            'vectors' => array_map(fn (int $case): array => array_column($some->columns, $case), $used),
            'weights' => array_map(fn (array $own): array => array_map(fn (int $case): float => $own[$case], $used), $weights),
            'offsets' => $offsets,
            'sigmoids' => $sigmoids,
            'remarks' => $remarks,
        ] + ($gamma === null ? [] : ['gamma' => $gamma]);
    }

    public static function restore(Model $model, int $nodata): self
    {
        $codes = $model->codes();
        [$bands, $pairs] = [count($model->bands), intdiv(count($codes) * (count($codes) - 1), 2)];
        $number = count((array) ($model->parameters['vectors'] ?? []));
        if ($number === 0) {
            throw Problem::input('it has no support vectors.');
        }
        $vectors = $model->table('vectors', $number, $bands);
        $standard = $model->standardisation();
        $columns = array_map(fn (int $band): array => array_column($vectors, $band), range(0, $bands - 1));
        $own = $standard?->columns($columns) ?? $columns;
        $gamma = ($model->parameters['kernel'] ?? '') === 'linear' ? null : $model->row('gamma', 1)[0];
        $sigmoids = array_map(fn (array $row): array => [$row[0], $row[1]], $model->table('sigmoids', $pairs, 2));

        return new self($codes, $nodata, $own, $gamma, $model->table('weights', $pairs, $number), $model->row('offsets', $pairs), $sigmoids,
            $model->limit(), $standard);
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        $own = $this->standard?->columns($columns) ?? $columns;
        $whole = Whole::of($columns, $count);
        $wantsShares = $tells || $shares || $this->reject !== null;
        $codes = $sure = [];
        $posteriors = $shares ? array_fill(0, count($this->codes), []) : [];
        for ($first = 0; $first < $count; $first += self::CASES) {
            $some = min(self::CASES, $count - $first);
            $decisions = $this->decisions(array_map(fn (array $column): array => array_slice($column, $first, $some), $own), $some, $first, $whole);
            foreach (PairedMargins::voted($decisions, $some, count($this->codes)) as $k => $class) {
                $isWhole = $whole[$first + $k];
                $likely = $isWhole && $wantsShares ? $this->shares(array_column($decisions, $k)) : [];
                $codes[] = ! $isWhole ? $this->nodata : ($this->reject !== null && $likely[$class] < $this->reject ? 0 : $this->codes[$class]);
                if ($tells) {
                    $sure[] = $likely[$class] ?? NAN;
                }
                foreach (array_keys($posteriors) as $other) {
                    $posteriors[$other][] = $likely[$other] ?? NAN;
                }
            }
        }

        return new Assigned($codes, $sure, shares: $posteriors);
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<bool>  $whole  from the case $first on
     * @return list<list<float>> by pair, above 0 for the first of its classes
     */
    private function decisions(array $columns, int $count, int $first, array $whole): array
    {
        if ($this->linear !== null) {
            return ($this->linear)($columns, $count);
        }
        $decisions = array_fill(0, count($this->offsets), []);
        for ($i = 0; $i < $count; $i++) {
            $kernel = $whole[$first + $i] ? $this->kernel->with(array_column($columns, $i)) : [];
            foreach ($this->offsets as $pair => $offset) {
                $decisions[$pair][] = $kernel === [] ? NAN : self::sum($kernel, $this->places[$pair], $this->own[$pair], count($this->own[$pair])) - $offset;
            }
        }

        return $decisions;
    }

    /**
     * @param  list<float>  $kernel
     * @param  list<int>  $places
     * @param  list<float>  $weights
     */
    private static function sum(array $kernel, array $places, array $weights, int $count): float
    {
        $sum = 0.0;
        for ($k = 0; $k < $count; $k++) {
            $sum += $weights[$k] * $kernel[$places[$k]];
        }

        return $sum;
    }

    /**
     * @param  list<float>  $decisions  of one case, by pair
     * @return list<float> by class
     */
    private function shares(array $decisions): array
    {
        $pairs = array_map(fn (float $decision, array $sigmoid): float => Sigmoid::value($decision, ...$sigmoid), $decisions, $this->sigmoids);

        return PairwiseCoupling::shares($pairs, count($this->codes));
    }
}
