<?php

namespace Chorometra\Core\Compare\Change;

use Chorometra\Core\Problem;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Stats\Quantiles;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** The middle of some bands, and what one deviation from it is. */
final readonly class CentreAndSpread
{
    /** What makes the median of absolute deviations that of a normal distribution, as it is commonly rounded. */
    private const NORMAL = 1.4826;

    /**
     * @param  list<float>  $middles
     * @param  list<float>  $deviations
     */
    private function __construct(public array $middles, public array $deviations) {}

    public static function setting(): Setting
    {
        return Setting::choice('spread', ['standard', 'robust'], 'standard', 'Centre and standard deviation.', [
            'standard' => 'mean and standard deviation',
            'robust' => 'median and 1.4826 times the median absolute deviation; little affected by the change itself',
        ]);
    }

    /**
     * @param  \Closure(int): iterable<list<list<float>>>  $values  of a strip, in pieces, by band
     * @param  int  $pixels  of all strips
     */
    public static function of(bool $isRobust, int $strips, int $pixels, \Closure $values, Context $context): self
    {
        if (! $isRobust) {
            $moments = self::moments($strips, $values, $context);

            return new self(
                array_map(fn (Moments $band): float => $band->count > 0 ? $band->mean : NAN, $moments),
                // of a sample: dividing by the number less one
                array_map(fn (Moments $band): float => $band->count > 1 ? sqrt($band->squares / ($band->count - 1)) : NAN, $moments),
            );
        }
        $middles = array_column(Quantiles::of($strips, $pixels, $values, [0.5], $context->part(0.0, 0.5)), 0);
        $away = function (int $strip) use ($values, $middles): \Generator {
            foreach ($values($strip) as $bands) {
                yield array_map(fn (array $band, float $middle): array => self::away($band, $middle, count($band)), $bands, $middles);
            }
        };
        $deviations = array_column(Quantiles::of($strips, $pixels, $away, [0.5], $context->part(0.5, 1.0)), 0);

        return new self($middles, array_map(fn (float $away): float => self::NORMAL * $away, $deviations));
    }

    /**
     * @param  array<int, string>  $labels  of the bands that it is needed of
     *
     * @throws Problem where a band does not vary
     */
    public function check(array $labels): self
    {
        foreach ($labels as $band => $label) {
            $deviation = $this->deviations[$band];
            if (! ($deviation > 0.0)) {
                throw Problem::input(
                    is_nan($deviation)
                        ? "The two dates have fewer than two common valid pixels in $label: there is nothing to compare."
                        : "The change of $label is nearly the same everywhere, so it has no standard deviation: set the limits as values.",
                    'before',
                );
            }
        }

        return $this;
    }

    /**
     * @param  \Closure(int): iterable<list<list<float>>>  $values
     * @return list<Moments> by band
     */
    private static function moments(int $strips, \Closure $values, Context $context): array
    {
        $parts = Workers::all(
            $strips,
            $context,
            'gathering statistics',
            function (int $strip) use ($values): array {
                $some = [];
                foreach ($values($strip) as $bands) {
                    $some[] = array_map(Moments::of(...), $bands);
                }

                return $some;
            },
        );
        $sums = [];
        foreach (array_merge(...$parts) as $some) {
            foreach ($some as $band => $moments) {
                $sums[$band] = ($sums[$band] ?? new Moments)->merge($moments);
            }
        }

        return array_values($sums);
    }

    /**
     * @param  list<float>  $values
     * @return list<float>
     */
    private static function away(array $values, float $middle, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $apart = $values[$i] - $middle;
            $values[$i] = $apart < 0.0 ? -$apart : $apart;
        }

        return $values;
    }
}
