<?php

namespace Chorometra\Core\Stats;

/**
 * How far one square of values is shifted against another: the peak of the inverse transform of their cross-spectrum, normalised by its root, so
 * that frequencies without content count less.
 *
 * A Hann window keeps the edges out. High frequencies, mostly noise, are weighed down by a Gaussian; so the peak of a pure shift is a
 * Gaussian too, and its place between pixels follows exactly from three values each way.
 *
 * Source: Kuglin & Hines 1975, Proceedings of the International Conference on Cybernetics and Society, 163–165; Foroosh, Zerubia & Berthod 2002,
 * IEEE Transactions on Image Processing 11:188–200, for places between pixels (from memory).
 */
final class PhaseCorrelation
{
    /** Deviation of the weights, in cycles per pixel. */
    private const BAND = 0.18;

    /** @var array<int, array{list<float>, list<float>}> window and weights, by side */
    private static array $tables = [];

    /**
     * @param  list<float>  $reference  rows of $n, without NaN
     * @param  list<float>  $moving
     * @return array{float, float, float}|null columns and rows that what lies in the reference is moved by in the other, and how well they match: 1 the
     *                                         same but for the shift, 0 no better than noise; null where one is the same all over
     */
    public static function shift(array $reference, array $moving, int $n): ?array
    {
        [$window, $weights] = self::$tables[$n] ??= self::table($n);
        if (! self::shaped($reference, $window, $n * $n) || ! self::shaped($moving, $window, $n * $n)) {
            return null;
        }
        // two real squares by one complex transform
        Fourier::square($reference, $moving, $n);
        [$re, $im, $sum, $square] = self::spectrum($reference, $moving, $weights, $n);
        if ($sum <= 0.0) {
            return null;
        }
        Fourier::square($re, $im, $n, true);
        $best = 0;
        for ($i = 1, $count = $n * $n; $i < $count; $i++) {
            $best = $re[$i] > $re[$best] ? $i : $best;
        }
        $col = $best % $n;
        $row = intdiv($best, $n);
        $at = fn (int $x, int $y): float => $re[($y + $n) % $n * $n + ($x + $n) % $n];
        $dx = $col + self::between($at($col - 1, $row), $at($col, $row), $at($col + 1, $row));
        $dy = $row + self::between($at($col, $row - 1), $at($col, $row), $at($col, $row + 1));

        return [$dx > $n / 2 ? $dx - $n : $dx, $dy > $n / 2 ? $dy - $n : $dy, self::match($re[$best] / $sum, $sum * $sum / $square)];
    }

    /**
     * Of as many independent waves with chance phases, the highest peak stands at about √(2 ln n) deviations; that counts as no match.
     *
     * @param  float  $waves  as many of like strength as there are
     */
    private static function match(float $peak, float $waves): float
    {
        $chance = sqrt(2 * log(max(2.0, $waves)) / max(2.0, $waves));

        return max(0.0, min(1.0, ($peak - $chance) / max(1e-9, 1 - $chance)));
    }

    /** Where a Gaussian through three values has its top. */
    private static function between(float $before, float $top, float $after): float
    {
        if ($before <= 0.0 || $after <= 0.0 || $top <= 0.0) {
            $under = $before - 2 * $top + $after;

            return $under < 0 ? 0.5 * ($before - $after) / $under : 0.0;
        }
        [$a, $b, $c] = [log($before), log($top), log($after)];
        $under = $a - 2 * $b + $c;

        return $under < -1e-12 ? max(-0.5, min(0.5, 0.5 * ($a - $c) / $under)) : 0.0;
    }

    /** @return array{list<float>, list<float>} */
    private static function table(int $n): array
    {
        $hann = $weight = [];
        for ($i = 0; $i < $n; $i++) {
            $hann[] = 0.5 - 0.5 * cos(2 * M_PI * ($i + 0.5) / $n);
            $f = ($i <= $n / 2 ? $i : $i - $n) / $n;
            $weight[] = exp(-0.5 * ($f / self::BAND) ** 2);
        }
        $window = $weights = [];
        for ($y = 0; $y < $n; $y++) {
            for ($x = 0; $x < $n; $x++) {
                $window[] = $hann[$y] * $hann[$x];
                $weights[] = $weight[$y] * $weight[$x];
            }
        }
        // the mean tells nothing of a shift
        $weights[0] = 0.0;

        return [$window, $weights];
    }

    /**
     * Less the mean, times the window.
     *
     * @param  list<float>  $values
     * @param  list<float>  $window
     */
    private static function shaped(array &$values, array $window, int $count): bool
    {
        $mean = array_sum($values) / $count;
        $square = 0.0;
        for ($i = 0; $i < $count; $i++) {
            $value = ($values[$i] - $mean) * $window[$i];
            $values[$i] = $value;
            $square += $value * $value;
        }

        return $square > 1e-20 * max(1e-300, $mean * $mean) && $square > 0.0;
    }

    /**
     * conj(A) B / √|A B| times the weights, where the transform at hand is A + iB; then the sum of its sizes and of their squares.
     *
     * @param  list<float>  $re
     * @param  list<float>  $im
     * @param  list<float>  $weights
     * @return array{list<float>, list<float>, float, float}
     */
    private static function spectrum(array $re, array $im, array $weights, int $n): array
    {
        $x = $y = [];
        $sum = $square = 0.0;
        for ($row = 0; $row < $n; $row++) {
            $opposite = ($row > 0 ? $n - $row : 0) * $n;
            for ($col = 0, $k = $row * $n; $col < $n; $col++, $k++) {
                $m = $opposite + ($col > 0 ? $n - $col : 0);
                $p = $re[$k] + $re[$m];
                $q = $im[$k] - $im[$m];
                $r = $im[$k] + $im[$m];
                $s = $re[$m] - $re[$k];
                // A = (p + iq)/2, B = (r + is)/2
                $u = $p * $r + $q * $s;
                $v = $p * $s - $q * $r;
                $size = sqrt($u * $u + $v * $v);
                $root = sqrt($size);
                $factor = $size > 1e-30 ? $weights[$k] / $root : 0.0;
                $sum += $root * $weights[$k];
                $square += $size * $weights[$k] * $weights[$k];
                $x[] = $u * $factor;
                $y[] = $v * $factor;
            }
        }

        return [$x, $y, $sum, $square];
    }
}
