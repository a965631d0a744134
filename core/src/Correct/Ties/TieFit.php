<?php

namespace Chorometra\Core\Correct\Ties;

use Chorometra\Core\Problem;
use Chorometra\Core\Stats\LeastSquares;

/** A transform through tie points: where a pixel of the reference lies in the other image, as its own place and a polynomial of it. */
final readonly class TieFit
{
    private const TERMS = ['shift' => 1, 'affine' => 3, 'quadratic' => 6, 'cubic' => 10];

    /**
     * @param  list<float>  $cols  coefficients of 1, x, y, x², xy, y², x³, x²y, xy², y³ of the shift along columns, x and y from −1 to 1 over the image
     * @param  list<float>  $rows
     * @param  list<string>  $states  of each point: used, weak, rejected, struck
     * @param  list<float|null>  $residuals  in pixels
     */
    private function __construct(
        public array $cols,
        public array $rows,
        public array $states,
        public array $residuals,
        public float $rmse,
        private float $width,
        private float $height,
    ) {}

    /**
     * Outliers are rejected by the median of the residuals, again until none is left.
     *
     * The reference has $width × $height pixels; points of less than $leastQuality are weak, those beyond $limit deviations rejected.
     *
     * @param  list<array{col: float, row: float, dc: float, dr: float, quality: float}>  $points
     * @param  list<int>  $struck  numbers, from 1, of points left out by hand
     *
     * @throws Problem where tie points are too few, or nearly on one line
     */
    public static function through(array $points, string $transform, int $width, int $height, float $leastQuality, float $limit, array $struck = []): self
    {
        $terms = self::TERMS[$transform] ?? throw Problem::call("There is no transform “{$transform}”.", 'transform');
        $states = [];
        foreach ($points as $index => $point) {
            $states[] = in_array($index + 1, $struck, true) ? 'struck' : ($point['quality'] < $leastQuality ? 'weak' : 'used');
        }
        $cols = $rows = [];
        $residuals = array_fill(0, count($points), null);
        // a shift first, so that what is far off does not bend the rest
        foreach (array_unique([1, $terms]) as $now) {
            for ($round = 0; $round < 20; $round++) {
                $used = array_keys($states, 'used', true);
                if (count($used) < max($terms + ($terms > 1 ? 1 : 0), 3)) {
                    throw Problem::input(
                        sprintf(
                            'Only %d tie points are left, too few for the transform %s: take more points, accept weaker ones, or a simpler transform.',
                            count($used),
                            $transform,
                        ),
                        'transform',
                    );
                }
                $design = array_map(fn (int $k): array => self::row($points[$k]['col'], $points[$k]['row'], $width, $height, $now), $used);
                $cols = LeastSquares::solve($design, array_map(fn (int $k): float => $points[$k]['dc'], $used));
                $rows = LeastSquares::solve($design, array_map(fn (int $k): float => $points[$k]['dr'], $used));
                if ($cols === null || $rows === null) {
                    throw Problem::input("The tie points are nearly on one line, which is too little for the transform $transform.", 'transform');
                }
                foreach ($points as $k => $point) {
                    $row = self::row($point['col'], $point['row'], $width, $height, $now);
                    $residuals[$k] = hypot($point['dc'] - self::value($cols, $row), $point['dr'] - self::value($rows, $row));
                }
                $sizes = array_map(fn (int $k): float => (float) $residuals[$k], $used);
                sort($sizes);
                // Rayleigh: the deviation each way follows from the median distance
                $bound = max(0.1, $limit * $sizes[intdiv(count($sizes), 2)] / 1.1774) * ($now < $terms ? 3 : 1);
                $out = array_filter($used, fn (int $k): bool => $residuals[$k] > $bound);
                if ($out === []) {
                    break;
                }
                foreach ($out as $k) {
                    $states[$k] = 'rejected';
                }
            }
        }
        $used = array_keys($states, 'used', true);
        $rmse = sqrt(array_sum(array_map(fn (int $k): float => $residuals[$k] ** 2, $used)) / count($used));

        return new self($cols, $rows, array_values($states), array_values($residuals), $rmse, $width, $height);
    }

    /** @return array{float, float} shift along columns and rows at a pixel position of the reference */
    public function shift(float $col, float $row): array
    {
        $terms = self::row($col, $row, $this->width, $this->height, count($this->cols));

        return [self::value($this->cols, $terms), self::value($this->rows, $terms)];
    }

    /**
     * A place $col, $row of a reference of $width × $height pixels, as $terms of a polynomial.
     *
     * @return list<float>
     */
    private static function row(float $col, float $row, float $width, float $height, int $terms): array
    {
        $x = 2 * $col / $width - 1;
        $y = 2 * $row / $height - 1;

        return array_slice([1.0, $x, $y, $x * $x, $x * $y, $y * $y, $x ** 3, $x * $x * $y, $x * $y * $y, $y ** 3], 0, $terms);
    }

    /**
     * @param  list<float>  $coefficients
     * @param  list<float>  $terms
     */
    private static function value(array $coefficients, array $terms): float
    {
        $sum = 0.0;
        foreach ($coefficients as $k => $coefficient) {
            $sum += $coefficient * $terms[$k];
        }

        return $sum;
    }
}
