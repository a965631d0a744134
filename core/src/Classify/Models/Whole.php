<?php

namespace Chorometra\Core\Classify\Models;

/** Which cases have a finite value in every band. */
final class Whole
{
    /**
     * @param  list<list<float>>  $columns
     * @return list<bool> by case
     */
    public static function of(array $columns, int $count): array
    {
        return self::checked($columns, $count, count($columns));
    }

    /**
     * @param  list<list<float>>  $columns
     * @return list<bool>
     */
    private static function checked(array $columns, int $count, int $bands): array
    {
        $whole = [];
        for ($i = 0; $i < $count; $i++) {
            $sum = 0.0;
            for ($band = 0; $band < $bands; $band++) {
                $sum += $columns[$band][$i];
            }
            $whole[] = $sum - $sum === 0.0;
        }

        return $whole;
    }
}
