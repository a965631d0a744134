<?php

namespace Chorometra\Core\Derive\Windows;

/**
 * How often grey levels stand beside each other in the window around each pixel, in one direction and its opposite, and what follows from it.
 * Pairs of which one is nodata, or lies beyond the edge, are left out.
 *
 * Sums over pairs move along and are exact: what goes in are whole numbers. Moments of the counts themselves (asm, entropy) follow a table of pairs
 * that moves along each row.
 *
 * Source: Haralick, Shanmugam & Dinstein 1973, IEEE Transactions on Systems, Man, and Cybernetics 3:610–621. Homogeneity is their inverse
 * difference moment, entropy is in natural logarithms.
 */
final class CoOccurrence
{
    public const MEASURES = ['contrast', 'dissimilarity', 'homogeneity', 'asm', 'energy', 'entropy', 'correlation'];

    /** What homogeneity counts in, so that its sums are exact. */
    private const FINE = 2.0 ** 40;

    /**
     * Grey levels of values, −1 for nodata; what is beyond the range belongs to the outermost.
     *
     * @param  list<float>  $values
     * @return list<int>
     */
    public static function levels(array $values, int $count, float $from, float $to, int $levels): array
    {
        $codes = array_fill(0, $count, -1);
        $factor = $levels / ($to - $from);
        $last = $levels - 1;
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value === $value) {
                $code = $factor * ($value - $from);
                $codes[$i] = $code < 0.0 ? 0 : ($code >= $last ? $last : (int) $code);
            }
        }

        return $codes;
    }

    /**
     * The mean of each measure over directions in which it is defined.
     *
     * @param  list<int>  $codes  $rows of $width pixels, with half of $size more on every side; −1 for nodata
     * @param  list<array{int, int}>  $directions  columns and rows from a pixel to the other of its pair
     * @param  list<string>  $measures
     * @return list<list<float>> NaN where there is no pair, and for the correlation of a window of one level
     */
    public static function measures(array $codes, int $width, int $rows, int $size, int $levels, array $directions, array $measures): array
    {
        // added up as they come, so that no more than one direction is held
        $sums = $numbers = array_fill(0, count($measures), array_fill(0, $width * $rows, 0.0));
        foreach ($directions as [$cols, $down]) {
            foreach (self::direction($codes, $width, $rows, $size, $levels, $cols, $down, $measures) as $k => $values) {
                self::add($sums[$k], $numbers[$k], $values, $width * $rows);
            }
        }
        foreach ($sums as $k => $sum) {
            $sums[$k] = self::shares($sum, $numbers[$k], 1.0);
        }

        return $sums;
    }

    /**
     * One measure after the other.
     *
     * @param  list<int>  $codes
     * @param  list<string>  $measures
     * @return \Generator<int, list<float>>
     */
    private static function direction(array $codes, int $width, int $rows, int $size, int $levels, int $cols, int $down, array $measures): \Generator
    {
        if ($down < 0) {
            [$cols, $down] = [-$cols, -$down];
        }
        $wide = $width + $size - 1;
        $high = $rows + $size - 1;
        $keys = self::pairs($codes, $wide, $high, $levels, $cols, $down);
        $across = $size - abs($cols);
        $along = $size - $down;
        $box = fn (\Closure $of): array => self::box($keys, self::table($levels, $of), $wide, $width, $rows, $across, $along);
        $ofCounts = array_intersect($measures, ['asm', 'energy', 'entropy']);
        [$asm, $entropy] = $ofCounts === [] ? [[], []] : self::counts($keys, $wide, $width, $rows, $across, $along, $levels);
        foreach ($ofCounts as $k => $measure) {
            yield $k => match ($measure) {
                'entropy' => $entropy,
                'energy' => array_map(sqrt(...), $asm),
                default => $asm,
            };
        }
        unset($asm, $entropy);
        $number = count($ofCounts) === count($measures) ? [] : $box(fn (int $a, int $b): float => 1.0);
        foreach (array_diff_key($measures, $ofCounts) as $k => $measure) {
            yield $k => match ($measure) {
                'contrast' => self::shares($box(fn (int $a, int $b): float => ($a - $b) ** 2), $number, 1.0),
                'dissimilarity' => self::shares($box(fn (int $a, int $b): float => abs($a - $b)), $number, 1.0),
                'homogeneity' => self::shares($box(fn (int $a, int $b): float => round(self::FINE / (1 + ($a - $b) ** 2))), $number, 1.0 / self::FINE),
                default => self::correlation(
                    $number,
                    $box(fn (int $a, int $b): float => $a + $b),
                    $box(fn (int $a, int $b): float => $a * $a + $b * $b),
                    $box(fn (int $a, int $b): float => $a * $b),
                    count($number),
                ),
            };
        }
    }

    /**
     * A number for each pair, whichever way round: levels that are alike first, one more than all for none. It stands at its upper row and left
     * column.
     *
     * $wide columns and $high rows; the other of a pair lies $cols to the right and $down, which is not negative, below.
     *
     * @param  list<int>  $codes
     * @return list<int>
     */
    private static function pairs(array $codes, int $wide, int $high, int $levels, int $cols, int $down): array
    {
        $none = $levels + $levels * $levels;
        $keys = array_fill(0, $wide * $high, $none);
        $first = $cols < 0 ? -$cols : 0;
        $second = $down * $wide + ($cols > 0 ? $cols : 0);
        $last = $wide - ($cols < 0 ? -$cols : $cols);
        for ($row = 0; $row < $high - $down; $row++) {
            for ($i = $row * $wide, $end = $i + $last; $i < $end; $i++) {
                $a = $codes[$i + $first];
                $b = $codes[$i + $second];
                if ($a > -1 && $b > -1) {
                    $keys[$i] = $a === $b ? $a : $levels + ($a < $b ? $a * $levels + $b : $b * $levels + $a);
                }
            }
        }

        return $keys;
    }

    /**
     * @param  \Closure(int, int): float  $of
     * @return list<float> by the number of the pair; 0 for none
     */
    private static function table(int $levels, \Closure $of): array
    {
        $table = array_map(fn (int $level): float => $of($level, $level), range(0, $levels - 1));
        for ($a = 0; $a < $levels; $a++) {
            for ($b = 0; $b < $levels; $b++) {
                $table[] = $of($a, $b);
            }
        }
        $table[] = 0.0;

        return $table;
    }

    /**
     * Sums over the pairs of each window, which has $across columns and $along rows of them.
     *
     * @param  list<int>  $keys  $wide columns
     * @param  list<float>  $table  whole numbers
     * @return list<float> $rows of $width
     */
    private static function box(array $keys, array $table, int $wide, int $width, int $rows, int $across, int $along): array
    {
        $out = array_fill(0, $width * $rows, 0.0);
        $sums = array_fill(0, $wide, 0.0);
        for ($row = 0; $row < $along - 1; $row++) {
            for ($col = 0, $k = $row * $wide; $col < $wide; $col++, $k++) {
                $sums[$col] += $table[$keys[$k]];
            }
        }
        $back = ($along - 1) * $wide;
        for ($row = 0, $at = 0; $row < $rows; $row++) {
            $sum = 0.0;
            $from = $row * $wide;
            for ($col = 0, $k = $from + $back; $col < $across - 1; $col++, $k++) {
                $sums[$col] += $table[$keys[$k]];
                $sum += $sums[$col];
            }
            for ($col = 0, $next = $across - 1; $col < $width; $col++, $next++, $k++, $at++) {
                $sums[$next] += $table[$keys[$k]];
                $sum += $sums[$next];
                $out[$at] = $sum;
                $sum -= $sums[$col];
            }
            // what lies right of the last window is needed by none
            for ($col = 0, $k = $from; $col < $next; $col++, $k++) {
                $sums[$col] -= $table[$keys[$k]];
            }
        }

        return $out;
    }

    /**
     * Angular second moment and entropy of the pairs of each window.
     *
     * What is none counts as a pair of its own while the window moves, and is taken off where a pixel is told. See box() for $wide, $width, $rows,
     * $across, $along.
     *
     * @param  list<int>  $keys
     * @return array{list<float>, list<float>}
     */
    private static function counts(array $keys, int $wide, int $width, int $rows, int $across, int $along, int $levels): array
    {
        $none = $levels + $levels * $levels;
        $all = $across * $along;
        $bins = array_fill(0, $none + 1, 0);
        // n ln n from 0, and what the next one adds
        $logs = array_map(fn (int $n): float => $n === 0 ? 0.0 : $n * log($n), range(0, $all + 1));
        $more = array_map(fn (int $n): float => $logs[$n + 1] - $logs[$n], range(0, $all));
        $asm = $entropy = array_fill(0, $width * $rows, NAN);
        $down = ($along - 1) * $wide;
        for ($row = 0, $at = 0; $row < $rows; $row++) {
            // sums of squares of counts and of n ln n; pairs of one level, and their squares once more
            $squares = $alike = $again = 0;
            $sum = 0.0;
            $start = $row * $wide;
            for ($col = 0; $col < $across; $col++) {
                for ($k = $start + $col, $end = $k + $down; $k <= $end; $k += $wide) {
                    $key = $keys[$k];
                    $n = $bins[$key];
                    $bins[$key] = $n + 1;
                    $sum += $more[$n];
                    $squares += $n + $n + 1;
                    if ($key < $levels) {
                        $again += $n + $n + 1;
                        $alike++;
                    }
                }
            }
            for ($last = $at + $width - 1, $left = $start; ; $at++, $left++) {
                $missing = $bins[$none];
                $number = $all - $missing;
                if ($number > 0) {
                    $asm[$at] = ($squares + $again - $missing * $missing) / (2 * $number * $number);
                    $value = ($logs[$number] + 0.6931471805599453 * ($number - $alike) - $sum + $logs[$missing]) / $number;
                    $entropy[$at] = $value > 0.0 ? $value : 0.0;
                }
                if ($at === $last) {
                    $at++;
                    break;
                }
                // one column goes, one comes
                for ($k = $left, $end = $k + $down; $k <= $end; $k += $wide) {
                    $key = $keys[$k];
                    $new = $keys[$k + $across];
                    if ($key !== $new) {
                        $n = $bins[$key] - 1;
                        $bins[$key] = $n;
                        $m = $bins[$new];
                        $bins[$new] = $m + 1;
                        $sum += $more[$m] - $more[$n];
                        $squares += $m + $m - $n - $n;
                        if ($key < $levels) {
                            $again -= $n + $n + 1;
                            $alike--;
                        }
                        if ($new < $levels) {
                            $again += $m + $m + 1;
                            $alike++;
                        }
                    }
                }
            }
            // what the last window still holds
            for ($col = $width - 1; $col < $across + $width - 1; $col++) {
                for ($k = $start + $col, $end = $k + $down; $k <= $end; $k += $wide) {
                    $bins[$keys[$k]] = 0;
                }
            }
        }

        return [$asm, $entropy];
    }

    /**
     * @param  list<float>  $sums
     * @param  list<float>  $number
     * @return list<float> NaN where there is nothing
     */
    private static function shares(array $sums, array $number, float $unit): array
    {
        foreach ($sums as $i => $sum) {
            $sums[$i] = $number[$i] > 0.0 ? $unit * $sum / $number[$i] : NAN;
        }

        return $sums;
    }

    /**
     * Of counts that are symmetric, where both of a pair have one mean and one variance.
     *
     * @param  list<float>  $number
     * @param  list<float>  $sums  of both levels
     * @param  list<float>  $squares  of both, added
     * @param  list<float>  $products
     * @return list<float>
     */
    private static function correlation(array $number, array $sums, array $squares, array $products, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $n = $number[$i];
            $both = $sums[$i] * $sums[$i];
            $variance = 2.0 * $n * $squares[$i] - $both;
            $sums[$i] = $variance > 0.0 ? (4.0 * $n * $products[$i] - $both) / $variance : NAN;
        }

        return $sums;
    }

    /**
     * Values that are there, and how many there were.
     *
     * @param  list<float>  $sums
     * @param  list<float>  $numbers
     * @param  list<float>  $values
     */
    private static function add(array &$sums, array &$numbers, array $values, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            if ($values[$i] === $values[$i]) {
                $sums[$i] += $values[$i];
                $numbers[$i] += 1.0;
            }
        }
    }
}
