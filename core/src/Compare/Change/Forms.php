<?php

namespace Chorometra\Core\Compare\Change;

/** How one number is made of a pixel's value before and after; NaN where it can't be. */
final class Forms
{
    public const MEANINGS = [
        'subtract' => 'after − before',
        'ratio' => 'after / before',
        'log-ratio' => 'ln(after / before), for positive values',
        'normalised' => '(after − before) / (after + before)',
    ];

    /**
     * @param  list<float>  $before
     * @param  list<float>  $after
     * @return list<float>
     */
    public static function of(string $how, array $before, array $after, int $count): array
    {
        return match ($how) {
            'ratio' => self::ratio($before, $after, $count),
            'log-ratio' => self::logRatio($before, $after, $count),
            'normalised' => self::normalised($before, $after, $count),
            default => self::subtract($before, $after, $count),
        };
    }

    /**
     * @param  list<float>  $before
     * @param  list<float>  $after
     * @return list<float>
     */
    private static function subtract(array $before, array $after, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $before[$i] = $after[$i] - $before[$i];
        }

        return $before;
    }

    /**
     * @param  list<float>  $before
     * @param  list<float>  $after
     * @return list<float>
     */
    private static function ratio(array $before, array $after, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $value = $before[$i];
            $before[$i] = $value != 0.0 ? $after[$i] / $value : NAN;
        }

        return $before;
    }

    /**
     * Values of 0 and below have no logarithm.
     *
     * @param  list<float>  $before
     * @param  list<float>  $after
     * @return list<float>
     */
    private static function logRatio(array $before, array $after, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $one = $before[$i];
            $other = $after[$i];
            $before[$i] = $one > 0.0 && $other > 0.0 ? log($other / $one) : NAN;
        }

        return $before;
    }

    /**
     * @param  list<float>  $before
     * @param  list<float>  $after
     * @return list<float>
     */
    private static function normalised(array $before, array $after, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $one = $before[$i];
            $other = $after[$i];
            $sum = $other + $one;
            $before[$i] = $sum != 0.0 ? ($other - $one) / $sum : NAN;
        }

        return $before;
    }
}
