<?php

namespace Chorometra\Core\Gather\Join;

/** A rising curve from the values of one image to those of another of equal rank. */
final readonly class MatchCurve
{
    private const KNOTS = 255;

    private const ENTRIES = 4096;

    /** @param  list<float>  $table  values wanted at equal steps from $least on */
    private function __construct(private array $table, private float $least, private float $greatest, private float $scale) {}

    /**
     * @param  list<float>  $own  values of the image
     * @param  list<float>  $wanted  of the other one at the same places, as many
     */
    public static function between(array $own, array $wanted): self
    {
        sort($own);
        sort($wanted);
        $last = count($own) - 1;
        $x = $y = [];
        for ($k = 0; $k <= self::KNOTS; $k++) {
            $at = (int) round($last * $k / self::KNOTS);
            // values alike get the middle of what is wanted for them
            if ($x !== [] && $own[$at] <= $x[count($x) - 1]) {
                $y[count($y) - 1] = 0.5 * ($y[count($y) - 1] + $wanted[$at]);
            } else {
                $x[] = $own[$at];
                $y[] = $wanted[$at];
            }
        }
        $least = $x[0];
        $greatest = $x[count($x) - 1];
        $scale = $greatest > $least ? (self::ENTRIES - 1) / ($greatest - $least) : 0.0;
        $table = [];
        for ($i = 0, $k = 0; $i < self::ENTRIES; $i++) {
            $value = $scale > 0 ? $least + $i / $scale : $least;
            while ($k < count($x) - 2 && $value > $x[$k + 1]) {
                $k++;
            }
            $table[] = isset($x[$k + 1]) ? $y[$k] + ($y[$k + 1] - $y[$k]) * ($value - $x[$k]) / ($x[$k + 1] - $x[$k]) : $y[$k];
        }

        return new self($table, $least, $greatest, $scale);
    }

    /**
     * Beyond what was compared, values are moved as far as those at the end.
     *
     * @param  list<float>  $values
     * @return list<float>
     */
    public function apply(array $values, int $count): array
    {
        return self::along(
            $values,
            $count,
            $this->table,
            $this->least,
            $this->greatest,
            $this->scale,
            $this->table[0] - $this->least,
            $this->table[self::ENTRIES - 1] - $this->greatest,
            self::ENTRIES - 2,
        );
    }

    /**
     * $count values; the curve goes from $least to $greatest with $scale steps to a unit up to step $last, and on by $below and $above.
     *
     * @param  list<float>  $values
     * @param  list<float>  $table
     * @return list<float>
     */
    private static function along(
        array $values,
        int $count,
        array $table,
        float $least,
        float $greatest,
        float $scale,
        float $below,
        float $above,
        int $last,
    ): array {
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value <= $least) {
                $values[$i] = $value + $below;
            } elseif ($value >= $greatest) {
                $values[$i] = $value + $above;
            } elseif ($value === $value) {
                $at = ($value - $least) * $scale;
                $k = (int) $at;
                $k = $k > $last ? $last : $k;
                $values[$i] = $table[$k] + ($at - $k) * ($table[$k + 1] - $table[$k]);
            }
        }

        return $values;
    }
}
