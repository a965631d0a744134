<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Stats\ChiSquare;

/**
 * How many points an interval of a wanted width takes, and how wide it is with so many. Widths are halves of 95 % intervals, as shares.
 *
 * Sources: Cochran 1977, Sampling Techniques, 3rd edition, chapter 4 for one proportion and 5.25 for strata, which Olofsson et al. 2014, Remote
 * Sensing of Environment 148:42–57, follow; Tortora 1978, The American Statistician 32:100–102, for the shares of all classes at once.
 */
final readonly class SampleSize
{
    private const DEVIATIONS = 1.96;

    /**
     * @param  float  $squares  of half the width, by one point
     * @param  float  $rest  what is taken from that since not all ground is left to draw from, whatever the number
     * @param  float  $most  points that there can be
     */
    private function __construct(private float $squares, private float $rest, private float $most) {}

    /**
     * Overall accuracy from strata, each with an accuracy of its own.
     *
     * @param  list<float>  $weights  shares of all ground
     * @param  list<float>  $expected  accuracies, 0 to 1
     * @param  float  $pixels  of which the points are some; INF where that does not matter
     */
    public static function stratified(array $weights, array $expected, float $pixels = INF): self
    {
        $sum = $squares = 0.0;
        foreach ($weights as $h => $weight) {
            $variance = $expected[$h] * (1.0 - $expected[$h]);
            $sum += $weight * sqrt($variance);
            $squares += $weight * $variance;
        }

        return new self(self::DEVIATIONS ** 2 * $sum * $sum, self::DEVIATIONS ** 2 * $squares / $pixels, $pixels);
    }

    /** One proportion from points that are drawn alike. */
    public static function proportion(float $expected, float $pixels = INF): self
    {
        $squares = self::DEVIATIONS ** 2 * $expected * (1.0 - $expected);
        // of few pixels, what is left to draw scatters less
        $few = $pixels > 1.0 && is_finite($pixels) ? $pixels / ($pixels - 1.0) : 1.0;

        return new self($squares * $few, $squares * $few / $pixels, $pixels);
    }

    /**
     * The share of each class, all of them within the width at once.
     *
     * @param  list<float>  $shares
     */
    public static function multinomial(array $shares): self
    {
        $limit = ChiSquare::limit(0.05 / max(1, count($shares)), 1);

        return new self($limit * max(array_map(fn (float $share): float => $share * (1.0 - $share), $shares)), 0.0, INF);
    }

    /** Points for half an interval of this width; not a whole number. */
    public function points(float $width): float
    {
        return min($this->most, $this->squares / ($width * $width + $this->rest));
    }

    /** Half the interval that so many points give. */
    public function width(float $points): float
    {
        return sqrt(max(0.0, $this->squares / $points - $this->rest));
    }
}
