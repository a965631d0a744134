<?php

namespace Chorometra\Core\Stats;

use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/**
 * Exact quantiles of values that come in blocks, of several bands at once, in memory that does not grow with them.
 *
 * A first pass takes a sample, from which follows between which two values each quantile must lie; a second counts what lies below them and
 * keeps what lies between. Where a sample misled, the pass is taken again with wider bounds.
 *
 * Source: Hyndman & Fan 1996, The American Statistician 50:361–365, type 7 (linear between two values). Bounds from a sample: Floyd & Rivest
 * 1975, Communications of the ACM 18:165–172 (from memory).
 */
final class Quantiles
{
    /** Values of a sample, over all blocks of a band; fewer than so many in all are taken whole. */
    private const SAMPLE = 1 << 17;

    /** Deviations of a place in a sample within which a quantile is looked for. */
    private const MARGIN = 6.0;

    /**
     * @param  \Closure(int): iterable<list<list<float>>>  $values  of a strip, in pieces, by band; always the same; NaN is left out
     * @param  int  $pixels  values of a band in all strips together, at most
     * @param  list<float>  $shares  0 to 1
     * @return list<list<float>> by band and share; NaN where a band has no value
     */
    public static function of(int $strips, int $pixels, \Closure $values, array $shares, Context $context): array
    {
        $every = max(1, intdiv($pixels, self::SAMPLE));
        $samples = $counts = [];
        self::pass($strips, $context->part(0.0, 0.5), $values, fn (array $bands): array => array_map(
            fn (array $band): array => self::sample($band, count($band), $every),
            $bands,
        ), function (int $band, array $some) use (&$samples, &$counts): void {
            $counts[$band] = ($counts[$band] ?? 0) + $some[0];
            $samples[$band] ??= [];
            array_push($samples[$band], ...unpack('d*', $some[1]) ?: []);
        });
        $found = $bounds = [];
        foreach ($samples as $band => $sample) {
            sort($sample);
            foreach ($shares as $k => $share) {
                $found[$band][$k] = $counts[$band] === 0 ? NAN : ($every === 1 ? self::between($sample, $share) : null);
                if ($found[$band][$k] === null) {
                    $bounds[$band][$k] = self::bounds($sample, $share);
                }
            }
        }
        while ($bounds !== []) {
            $bounds = self::narrow($strips, $values, $shares, $counts, $bounds, $found, $context->part(0.5, 1.0));
        }

        return array_map(fn (array $row): array => array_map(floatval(...), $row), $found);
    }

    /**
     * The quantile of values in order.
     *
     * @param  list<float>  $sorted
     */
    public static function between(array $sorted, float $share): float
    {
        $last = count($sorted) - 1;
        if ($last < 0) {
            return NAN;
        }
        $place = $share * $last;
        $below = (int) floor($place);

        return self::mix($sorted[$below], $sorted[min($last, $below + 1)], $place - $below);
    }

    private static function mix(float $one, float $other, float $part): float
    {
        return $part === 0.0 ? $one : $one + $part * ($other - $one);
    }

    /**
     * Two values of a sample in order between which a quantile of all lies, most likely.
     *
     * @param  list<float>  $sample
     * @return array{float, float}
     */
    private static function bounds(array $sample, float $share): array
    {
        $number = count($sample);
        $margin = self::MARGIN * sqrt($number * $share * (1.0 - $share)) + 16.0;
        $low = (int) floor($share * $number - $margin);
        $high = (int) ceil($share * $number + $margin);

        return [$low < 0 ? -INF : $sample[$low], $high >= $number ? INF : $sample[$high]];
    }

    /**
     * One pass with bounds; those that did not hold come back wider.
     *
     * @param  \Closure(int): iterable<list<list<float>>>  $values
     * @param  list<float>  $shares
     * @param  array<int, int>  $counts
     * @param  array<int, array<int, array{float, float}>>  $bounds
     * @param  array<int, array<int, float|null>>  $found
     * @return array<int, array<int, array{float, float}>>
     */
    private static function narrow(int $strips, \Closure $values, array $shares, array $counts, array $bounds, array &$found, Context $context): array
    {
        $sums = [];
        self::pass($strips, $context, $values, function (array $bands) use ($bounds): array {
            $seen = [];
            foreach ($bounds as $band => $some) {
                $seen[$band] = array_map(fn (array $two): array => self::split($bands[$band], count($bands[$band]), $two[0], $two[1]), $some);
            }

            return $seen;
        }, function (int $band, array $some) use (&$sums): void {
            foreach ($some as $k => [$below, $low, $inside, $high]) {
                $sum = $sums[$band][$k] ?? [0, 0, [], 0];
                array_push($sum[2], ...unpack('d*', $inside) ?: []);
                $sums[$band][$k] = [$sum[0] + $below, $sum[1] + $low, $sum[2], $sum[3] + $high];
            }
        });
        $again = [];
        foreach ($bounds as $band => $some) {
            foreach ($some as $k => [$low, $high]) {
                [$below, $atLow, $inside, $atHigh] = $sums[$band][$k];
                sort($inside);
                $place = $shares[$k] * ($counts[$band] - 1);
                $value = function (int $rank) use ($below, $atLow, $inside, $atHigh, $low, $high): ?float {
                    $rank -= $below;

                    return match (true) {
                        $rank < 0 => null,
                        $rank < $atLow => $low,
                        $rank < $atLow + count($inside) => $inside[$rank - $atLow],
                        $rank < $atLow + count($inside) + $atHigh => $high,
                        default => null,
                    };
                };
                $first = (int) floor($place);
                [$one, $other] = [$value($first), $value(min($counts[$band] - 1, $first + 1))];
                if ($one !== null && $other !== null) {
                    $found[$band][$k] = self::mix($one, $other, $place - $first);
                } else {
                    $again[$band][$k] = $one === null && $first < $below ? [-INF, $high] : [$low, INF];
                }
            }
        }

        return $again;
    }

    /**
     * Strips on all workers, what each piece adds by band in their order.
     *
     * @param  \Closure(int): iterable<list<list<float>>>  $values
     * @param  \Closure(list<list<float>>): array<int, mixed>  $look  at a piece
     * @param  \Closure(int, array<mixed>): void  $add  told the band
     */
    private static function pass(int $strips, Context $context, \Closure $values, \Closure $look, \Closure $add): void
    {
        $answers = Workers::all($strips, $context, 'ordering values', function (int $strip) use ($values, $look): array {
            $seen = [];
            foreach ($values($strip) as $bands) {
                $seen[] = $look($bands);
            }

            return $seen;
        });
        foreach (array_merge(...$answers) as $answer) {
            foreach ($answer as $band => $some) {
                $add($band, $some);
            }
        }
    }

    /**
     * How many of $count values there are, and every $every-th of them, packed.
     *
     * @param  list<float>  $values
     * @return array{int, string}
     */
    private static function sample(array $values, int $count, int $every): array
    {
        $taken = [];
        $number = 0;
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value === $value) {
                if ($number % $every === 0) {
                    $taken[] = $value;
                }
                $number++;
            }
        }

        return [$number, pack('d*', ...$taken)];
    }

    /**
     * How many of $count values lie below $low, at it, and at $high, and those between, packed.
     *
     * @param  list<float>  $values
     * @return array{int, int, string, int}
     */
    private static function split(array $values, int $count, float $low, float $high): array
    {
        $below = 0;
        $atLow = 0;
        $atHigh = 0;
        $inside = [];
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value <= $low) {
                if ($value === $low) {
                    $atLow++;
                } else {
                    $below++;
                }
            } elseif ($value < $high) {
                $inside[] = $value;
            } elseif ($value === $high) {
                $atHigh++;
            }
        }

        return [$below, $atLow, pack('d*', ...$inside), $atHigh];
    }
}
