<?php

namespace Chorometra\Core\Classify\Models;

/** How far values lie outside of the range that a model was taught on: in how many deviations of a band, of the band where it is most. */
final class Outside
{
    /**
     * @param  list<list<float>>  $columns
     * @return list<float> 0 inside, NaN nodata
     */
    public static function of(Model $model, array $columns, int $count): array
    {
        $outside = array_fill(0, $count, 0.0);
        foreach ($model->bands as $place => $band) {
            $unit = $band['deviation'] > 0.0 ? 1.0 / $band['deviation'] : 1.0;
            self::reach($outside, $columns[$place], $count, $band['minimum'], $band['maximum'], $unit);
        }

        return $outside;
    }

    /**
     * @param  list<float>  $outside
     * @param  list<float>  $column
     */
    private static function reach(array &$outside, array $column, int $count, float $minimum, float $maximum, float $unit): void
    {
        for ($i = 0; $i < $count; $i++) {
            $value = $column[$i];
            if ($value !== $value) {
                $outside[$i] = NAN;
            } elseif ($value > $maximum) {
                $by = $unit * ($value - $maximum);
                $outside[$i] = $by > $outside[$i] ? $by : $outside[$i];
            } elseif ($value < $minimum) {
                $by = $unit * ($minimum - $value);
                $outside[$i] = $by > $outside[$i] ? $by : $outside[$i];
            }
        }
    }
}
