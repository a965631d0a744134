<?php

namespace Chorometra\Core\Stats;

/** Values less their mean, by their deviation, so that measures of any unit weigh alike. What is the same everywhere is left at 0. */
final readonly class Standardisation
{
    /**
     * @param  list<float>  $means  by measure
     * @param  list<float>  $deviations
     */
    public function __construct(public array $means, public array $deviations) {}

    /** @param  list<list<float>>  $columns  of each measure, without NaN */
    public static function of(array $columns): self
    {
        $moments = array_map(Moments::of(...), $columns);

        return new self(
            array_map(fn (Moments $some): float => $some->mean, $moments),
            array_map(fn (Moments $some): float => $some->count > 0 ? sqrt($some->squares / $some->count) : 0.0, $moments),
        );
    }

    /**
     * @param  list<list<float>>  $columns  values by measure
     * @return list<list<float>> NaN stays
     */
    public function columns(array $columns): array
    {
        return array_map($this->apply(...), array_keys($columns), $columns);
    }

    /**
     * @param  list<float>  $values  of a measure
     * @return list<float> NaN stays
     */
    public function apply(int $measure, array $values): array
    {
        return self::scaled($values, count($values), $this->means[$measure], $this->deviations[$measure] > 0.0 ? 1.0 / $this->deviations[$measure] : 0.0);
    }

    /**
     * @param  list<float>  $values
     * @return list<float>
     */
    private static function scaled(array $values, int $count, float $mean, float $factor): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = ($values[$i] - $mean) * $factor;
        }

        return $values;
    }
}
