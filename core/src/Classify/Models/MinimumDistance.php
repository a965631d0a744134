<?php

namespace Chorometra\Core\Classify\Models;

/** The class whose mean is the nearest. What a distance is measured in is up to the classifiers that extend it. */
abstract readonly class MinimumDistance implements Classifier
{
    private SquareForms $forms;

    /** @var list<float> squares beyond which a case belongs nowhere, by class */
    private array $limits;

    /**
     * @param  list<int>  $codes  by class
     * @param  list<list<float>>  $means  by class and band
     * @param  list<list<float>>  $factors  by class and band: what differences are multiplied by
     * @param  list<int>  $order  of the bands, the one that parts the classes best first
     * @param  list<float>  $units  by class: squares that are one unit of the distance told
     * @param  float|null  $reject  distance in that unit beyond which a case belongs nowhere
     */
    protected function __construct(
        private array $codes,
        private int $nodata,
        array $means,
        array $factors,
        array $order,
        private array $units,
        ?float $reject,
    ) {
        $this->limits = array_map(fn (float $unit): float => $reject === null ? INF : $reject * $reject * $unit, $units);
        $forms = array_map(fn (array $own): array => array_map(fn (int $band): array => [$own[$band]], $order), $factors);
        $this->forms = new SquareForms($codes, $nodata, $order, SquareForms::ordered($means, $order), $forms, array_fill(0, count($means), 0.0),
            $this->limits);
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        $only = $tells ? null : $this->forms->codes($columns, $count);
        if ($only !== null) {
            return new Assigned($only);
        }
        $codes = $sure = $near = [];
        self::judged($codes, $sure, $near, $this->forms->squares($columns, $count), Whole::of($columns, $count), $this->codes, $this->units, $this->limits,
            $this->nodata, count($this->codes), $count);

        return new Assigned($codes, $sure, $near);
    }

    /**
     * The nearest class of each case, its margin to the second, and how far it is in its class's own unit.
     *
     * @param  list<int>  $codes
     * @param  list<float>  $sure
     * @param  list<float>  $near
     * @param  list<list<float>>  $squares
     * @param  list<bool>  $valid
     * @param  list<int>  $names
     * @param  list<float>  $units
     * @param  list<float>  $limits
     */
    private static function judged(
        array &$codes,
        array &$sure,
        array &$near,
        array $squares,
        array $valid,
        array $names,
        array $units,
        array $limits,
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
            $second = INF;
            $at = 0;
            for ($class = 0; $class < $classes; $class++) {
                $sum = $squares[$class][$i];
                if ($sum < $best) {
                    $second = $best;
                    $best = $sum;
                    $at = $class;
                } elseif ($sum < $second) {
                    $second = $sum;
                }
            }
            $codes[] = $best <= $limits[$at] ? $names[$at] : 0;
            $sure[] = $second > 0.0 ? 1.0 - sqrt($best / $second) : 0.0;
            $near[] = $units[$at] > 0.0 ? sqrt($best / $units[$at]) : ($best > 0.0 ? NAN : 0.0);
        }
    }
}
