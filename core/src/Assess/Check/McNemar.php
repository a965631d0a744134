<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Stats\ChiSquare;

/**
 * Whether two maps are right alike often, from the points at which only one of them is.
 *
 * Sources: McNemar 1947, Psychometrika 12:153–157; Edwards 1948, Psychometrika 13:185–187, for the correction; exact by the binomial distribution.
 * For maps: Foody 2004, Photogrammetric Engineering & Remote Sensing 70:627–633.
 */
final readonly class McNemar
{
    /**
     * @param  int  $first  points at which only the first is right
     * @param  int  $second  only the second
     */
    public function __construct(private int $first, private int $second) {}

    /** Chi-square of one degree of freedom; 0 where no point tells them apart. */
    public function square(bool $corrected = false): float
    {
        $apart = max(0.0, abs($this->first - $this->second) - ($corrected ? 1.0 : 0.0));
        $all = $this->first + $this->second;

        return $all === 0 ? 0.0 : $apart * $apart / $all;
    }

    /** Probability of a chi-square as large or larger. */
    public function probability(bool $corrected = false): float
    {
        return ChiSquare::above($this->square($corrected), 1);
    }

    /** Probability of shares as uneven or more so, if either were right as often: both tails. */
    public function exact(): float
    {
        $all = $this->first + $this->second;
        $sum = 0.0;
        $term = -$all * M_LN2;
        for ($k = 0; $k <= min($this->first, $this->second); $k++) {
            $sum += exp($term);
            $term += log(($all - $k) / ($k + 1));
        }

        return min(1.0, 2.0 * $sum);
    }
}
