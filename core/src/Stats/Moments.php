<?php

namespace Chorometra\Core\Stats;

/**
 * Count, minimum, maximum, mean and sum of squared deviations that can be merged. What is infinite is missing, and counted apart.
 *
 * Source: Chan, Golub & LeVeque 1983, Algorithms for computing the sample variance, The American Statistician 37:242–247.
 */
final readonly class Moments
{
    public function __construct(
        public int $count = 0,
        public float $minimum = INF,
        public float $maximum = -INF,
        public float $mean = 0.0,
        public float $squares = 0.0,
        public int $missing = 0,
        public int $infinite = 0,
    ) {}

    /** @param  list<float>|list<int>  $values NaN and what is infinite is left out */
    public static function of(array $values): self
    {
        $total = count($values);
        $shift = 0.0;
        foreach ($values as $value) {
            if ($value - $value == 0) {
                $shift = 1.0 * $value;
                break;
            }
        }
        [$count, $minimum, $maximum, $sum, $squares, $infinite] = self::sums($values, $total, $shift);
        if ($count === 0) {
            return new self(missing: $total, infinite: $infinite);
        }

        return new self($count, $minimum, $maximum, $shift + $sum / $count, max(0.0, $squares - $sum * $sum / $count), $total - $count, $infinite);
    }

    /** @param  array<int, int>  $counts  pixels by value, rising */
    public static function ofCounts(array $counts, int $missing): self
    {
        $number = array_sum($counts);
        if ($number === 0) {
            return new self(missing: $missing);
        }
        $sum = 0.0;
        foreach ($counts as $value => $count) {
            $sum += (float) $value * $count;
        }
        $mean = $sum / $number;
        $squares = 0.0;
        foreach ($counts as $value => $count) {
            $squares += $count * ($value - $mean) ** 2;
        }

        return new self($number, (float) array_key_first($counts), (float) array_key_last($counts), $mean, $squares, $missing);
    }

    public function merge(self $other): self
    {
        if ($other->count === 0) {
            return new self(
                $this->count,
                $this->minimum,
                $this->maximum,
                $this->mean,
                $this->squares,
                $this->missing + $other->missing,
                $this->infinite + $other->infinite,
            );
        }
        if ($this->count === 0) {
            return new self(
                $other->count,
                $other->minimum,
                $other->maximum,
                $other->mean,
                $other->squares,
                $this->missing + $other->missing,
                $this->infinite + $other->infinite,
            );
        }
        $count = $this->count + $other->count;
        $delta = $other->mean - $this->mean;

        return new self(
            $count,
            min($this->minimum, $other->minimum),
            max($this->maximum, $other->maximum),
            $this->mean + $delta * $other->count / $count,
            $this->squares + $other->squares + $delta * $delta * $this->count * $other->count / $count,
            $this->missing + $other->missing,
            $this->infinite + $other->infinite,
        );
    }

    /** Standard deviation of the pixels as a whole (dividing by n). */
    public function deviation(): float
    {
        return $this->count > 0 ? sqrt($this->squares / $this->count) : NAN;
    }

    /** @return array<string, int|float|null> as a step reports it */
    public function figures(): array
    {
        return [
            'pixels' => $this->count,
            'nodata' => $this->missing,
            'minimum' => $this->count ? $this->minimum : null,
            'maximum' => $this->count ? $this->maximum : null,
            'mean' => $this->count ? $this->mean : null,
            'deviation' => $this->count ? $this->deviation() : null,
        ] + ($this->infinite > 0 ? ['infinite' => $this->infinite] : []);
    }

    /**
     * @param  list<float>|list<int>  $values
     * @return array{int, float, float, float, float, int}
     */
    private static function sums(array $values, int $total, float $shift): array
    {
        $count = 0;
        $minimum = INF;
        $maximum = -INF;
        $sum = 0.0;
        $squares = 0.0;
        $infinite = 0;
        $whole = $total & ~3;
        for ($i = 0; $i < $total; $i += 4) {
            if ($i < $whole) {
                $a = 1.0 * $values[$i];
                $b = 1.0 * $values[$i + 1];
                $c = 1.0 * $values[$i + 2];
                $d = 1.0 * $values[$i + 3];
                $four = ($a + $b) + ($c + $d);
                if ($four - $four === 0.0) {
                    $count += 4;
                    if ($a < $minimum) {
                        $minimum = $a;
                    }
                    if ($a > $maximum) {
                        $maximum = $a;
                    }
                    if ($b < $minimum) {
                        $minimum = $b;
                    }
                    if ($b > $maximum) {
                        $maximum = $b;
                    }
                    if ($c < $minimum) {
                        $minimum = $c;
                    }
                    if ($c > $maximum) {
                        $maximum = $c;
                    }
                    if ($d < $minimum) {
                        $minimum = $d;
                    }
                    if ($d > $maximum) {
                        $maximum = $d;
                    }
                    $a -= $shift;
                    $b -= $shift;
                    $c -= $shift;
                    $d -= $shift;
                    $sum += ($a + $b) + ($c + $d);
                    $squares += ($a * $a + $b * $b) + ($c * $c + $d * $d);

                    continue;
                }
            }
            // one by one where one of the four is no number, and at the end
            for ($k = $i; $k < $total && $k < $i + 4; $k++) {
                $value = 1.0 * $values[$k];
                if ($value - $value === 0.0) {
                    $count++;
                    if ($value < $minimum) {
                        $minimum = $value;
                    }
                    if ($value > $maximum) {
                        $maximum = $value;
                    }
                    $d = $value - $shift;
                    $sum += $d;
                    $squares += $d * $d;
                } elseif ($value === $value) {
                    $infinite++;
                }
            }
        }

        return [$count, $minimum, $maximum, $sum, $squares, $infinite];
    }
}
