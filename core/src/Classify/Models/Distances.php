<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Stats\ChiSquare;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Work\Kernel;

/**
 * The class from which a case lies the least far: by its mean, in its deviations, or by its covariances, which makes it the most likely one.
 *
 * All three are sums of squares of linear forms, and a constant: |W (x − m)|² + c. Loops are generated for the classes at hand.
 */
final readonly class Distances implements Assigner
{
    /** Products beyond which a loop is not written out any more. */
    private const MOST_PRODUCTS = 40_000;

    /** Steps of a deviation in which the probability of a distance is looked up. */
    private const STEPS = 256;

    /**
     * @param  list<int>  $codes  by class
     * @param  list<int>  $order  of the bands: those that tell most come first, so that a class is left early
     * @param  list<list<float>>  $means  by class and place in that order
     * @param  list<list<list<float>>>  $forms  by class: rows of W, each as long as there are places up to its own (triangular), or one number for its own
     * @param  list<float>  $constants
     * @param  list<float>  $units  by class, squares that are one unit of what is told of distances
     * @param  list<float>  $limits  squares beyond which a case belongs nowhere; INF where none does
     * @param  bool  $isLikelihood  differences of the sums are logarithms of likelihoods, doubled
     */
    private function __construct(
        private array $codes,
        private int $nodata,
        private array $order,
        private array $means,
        private array $forms,
        private array $constants,
        private array $units,
        private array $limits,
        private bool $isLikelihood,
    ) {}

    /**
     * @param  list<int>  $codes
     * @param  list<list<float>>  $means
     * @param  list<float>  $scales  by band: its deviation where bands are standardised, else 1
     * @param  list<float>  $spreads  by class: root mean square distance of its own pixels from its mean
     */
    public static function toMeans(array $codes, int $nodata, array $means, array $scales, array $spreads, ?float $reject): self
    {
        $units = array_map(fn (float $spread): float => $spread * $spread, $spreads);
        $limits = array_map(fn (float $unit): float => $reject === null ? INF : $reject * $reject * $unit, $units);
        $order = self::order($means, array_map(fn (float $scale): float => $scale * $scale, $scales));
        $form = array_map(fn (int $band): array => [$scales[$band] > 0.0 ? 1.0 / $scales[$band] : 0.0], $order);

        return new self(
            $codes,
            $nodata,
            $order,
            self::ordered($means, $order),
            array_fill(0, count($means), $form),
            array_fill(0, count($means), 0.0),
            $units,
            $limits,
            false,
        );
    }

    /**
     * @param  list<int>  $codes
     * @param  list<list<float>>  $means
     * @param  list<list<float>>  $deviations  by class and band, above 0
     */
    public static function scaled(array $codes, int $nodata, array $means, array $deviations, ?float $reject): self
    {
        $bands = count($means[0] ?? []);
        $order = self::order($means, array_map(
            fn (int $band): float => array_sum(array_map(fn (array $own): float => $own[$band] ** 2, $deviations)),
            array_keys($means[0] ?? []),
        ));
        $forms = array_map(fn (array $own): array => array_map(fn (int $band): array => [1.0 / $own[$band]], $order), $deviations);
        $units = array_fill(0, count($means), (float) $bands);
        $limits = array_fill(0, count($means), $reject === null ? INF : $reject * $reject * $bands);
        $constants = array_fill(0, count($means), 0.0);

        return new self($codes, $nodata, $order, self::ordered($means, $order), $forms, $constants, $units, $limits, false);
    }

    /**
     * @param  list<int>  $codes
     * @param  list<Normal>  $classes
     * @param  list<float>  $priors
     * @param  float|null  $reject  probability that a case of the class lies as far as that or farther
     */
    public static function likelihoods(array $codes, int $nodata, array $classes, array $priors, ?float $reject): self
    {
        $means = array_map(fn (Normal $class): array => $class->means, $classes);
        $order = self::order($means, array_map(
            fn (int $band): float => array_sum(array_map(fn (Normal $class): float => $class->covariances[$band][$band], $classes)),
            array_keys($means[0] ?? []),
        ));
        $forms = array_map(fn (Normal $class): ?array => self::rows($class, $order), $classes);
        if (in_array(null, $forms, true)) {
            // what can just be turned around in one order may not in another
            $order = array_keys($order);
            $forms = array_map(fn (Normal $class): ?array => self::rows($class, $order), $classes);
        }
        $constants = array_map(fn (Normal $class, float $prior): float => $class->logDeterminant - 2.0 * log($prior), $classes, $priors);
        $limit = $reject === null ? INF : ChiSquare::limit($reject, count($order));
        $units = array_fill(0, count($classes), 1.0);

        return new self(
            $codes,
            $nodata,
            $order,
            self::ordered($means, $order),
            array_values(array_filter($forms)),
            $constants,
            $units,
            array_fill(0, count($classes), $limit),
            true,
        );
    }

    /**
     * Bands by how far the means lie apart, in the spread of the classes.
     *
     * @param  list<list<float>>  $means
     * @param  list<float>  $spreads  squares, by band
     * @return list<int>
     */
    private static function order(array $means, array $spreads): array
    {
        $worth = [];
        foreach ($spreads as $band => $spread) {
            $own = array_column($means, $band);
            $mean = array_sum($own) / max(1, count($own));
            $worth[$band] = array_sum(array_map(fn (float $one): float => ($one - $mean) ** 2, $own)) / max(1e-300, $spread);
        }
        arsort($worth);

        return array_keys($worth);
    }

    /**
     * @param  list<list<float>>  $rows
     * @param  list<int>  $order
     * @return list<list<float>>
     */
    private static function ordered(array $rows, array $order): array
    {
        return array_map(fn (array $row): array => array_map(fn (int $band): float => $row[$band], $order), $rows);
    }

    /**
     * Rows of the whitening with the bands in another order; null where rounding leaves none.
     *
     * @param  list<int>  $order
     * @return list<list<float>>|null
     */
    private static function rows(Normal $class, array $order): ?array
    {
        $turned = Normal::of($class->means, array_map(
            fn (int $i): array => array_map(fn (int $j): float => $class->covariances[$i][$j], $order),
            $order,
        ));

        return $turned instanceof Normal
            ? array_map(fn (array $row, int $i): array => array_slice($row, 0, $i + 1), $turned->whitening, array_keys($turned->whitening))
            : null;
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        $isLarge = array_sum(array_map(fn (array $form): int => array_sum(array_map(count(...), $form)), $this->forms)) > self::MOST_PRODUCTS;
        if (! $tells && ! $shares && ! $isLarge) {
            return new Assigned($this->codesOnly()($this->inOrder($columns), $count));
        }
        [$squares, $valid] = $this->squares($columns, $count, $isLarge);
        $codes = $sure = $near = [];
        $classes = count($this->codes);
        self::judged($codes, $sure, $near, $squares, $valid, $this->codes, $this->constants, $this->units, $this->limits, $this->nodata, $classes, $count,
            $this->isLikelihood);
        if ($this->isLikelihood) {
            $near = self::looked($near, $this->table(count($columns)), $count);
        }

        return new Assigned($codes, $sure, $near, $shares ? self::posteriors($squares, $classes, $count) : []);
    }

    /** @return list<float> the probability of a distance or a larger one, in steps */
    private function table(int $bands): array
    {
        $table = [];
        for ($k = 0, $value = 1.0; $value > 1e-12; $k++) {
            $value = ChiSquare::above(($k / self::STEPS) ** 2, $bands);
            $table[] = $value;
        }
        $table[] = 0.0;

        return $table;
    }

    /**
     * @param  list<float>  $squares
     * @param  list<float>  $table
     * @return list<float>
     */
    private static function looked(array $squares, array $table, int $count): array
    {
        $last = count($table) - 1;
        for ($i = 0; $i < $count; $i++) {
            $value = $squares[$i];
            if ($value === $value) {
                $at = sqrt($value) * self::STEPS;
                $step = $at < $last ? (int) $at : $last - 1;
                $part = $at < $last ? $at - $step : 1.0;
                $squares[$i] = $table[$step] + $part * ($table[$step + 1] - $table[$step]);
            }
        }

        return $squares;
    }

    /**
     * Squares of each class with its constant, added up in the order of `codesOnly`, so that both tell the same.
     *
     * @param  list<list<float>>  $columns
     * @return array{list<list<float>>, list<bool>} by class; and whether a case has all values
     */
    private function squares(array $columns, int $count, bool $isLarge): array
    {
        $squares = [];
        foreach ($this->forms as $class => $form) {
            $squares[] = $isLarge
                ? self::plain($columns, $count, $this->order, $form, $this->means[$class], $this->constants[$class])
                : $this->ofClass($class)($this->inOrder($columns), $count);
        }

        return [$squares, Whole::of($columns, $count)];
    }

    /**
     * The nearest class of each case, and how sure it is.
     *
     * @param  list<int>  $codes
     * @param  list<float>  $sure
     * @param  list<float>  $near
     * @param  list<list<float>>  $squares
     * @param  list<bool>  $valid
     * @param  list<int>  $names
     * @param  list<float>  $constants
     * @param  list<float>  $units
     * @param  list<float>  $limits
     */
    private static function judged(
        array &$codes,
        array &$sure,
        array &$near,
        array $squares,
        array $valid,
        array $names,
        array $constants,
        array $units,
        array $limits,
        int $nodata,
        int $classes,
        int $count,
        bool $isLikelihood,
    ): void {
        for ($i = 0; $i < $count; $i++) {
            if (! $valid[$i]) {
                $codes[] = $nodata;
                $sure[] = NAN;
                $near[] = NAN;

                continue;
            }
            $best = INF;
            $second = INF;
            $at = 0;
            for ($class = 0; $class < $classes; $class++) {
                $sum = $squares[$class][$i];
                if ($sum < $best) {
                    $second = $best;
                    $best = $sum;
                    $at = $class;
                } elseif ($sum < $second) {
                    $second = $sum;
                }
            }
            $own = $best - $constants[$at];
            $codes[] = $own <= $limits[$at] ? $names[$at] : 0;
            if ($isLikelihood) {
                $all = 1.0;
                for ($class = 0; $class < $classes; $class++) {
                    $apart = $best - $squares[$class][$i];
                    if ($class !== $at && $apart > -80.0) {
                        $all += exp(0.5 * $apart);
                    }
                }
                $sure[] = 1.0 / $all;
                $near[] = $own;
            } else {
                $sure[] = $second > 0.0 ? 1.0 - sqrt($best / $second) : 0.0;
                $near[] = $units[$at] > 0.0 ? sqrt($own / $units[$at]) : ($own > 0.0 ? NAN : 0.0);
            }
        }
    }

    /**
     * @param  list<list<float>>  $squares
     * @return list<list<float>>
     */
    private static function posteriors(array $squares, int $classes, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $best = INF;
            for ($class = 0; $class < $classes; $class++) {
                $best = $squares[$class][$i] < $best ? $squares[$class][$i] : $best;
            }
            $all = 0.0;
            for ($class = 0; $class < $classes; $class++) {
                $squares[$class][$i] = exp(0.5 * ($best - $squares[$class][$i]));
                $all += $squares[$class][$i];
            }
            for ($class = 0; $class < $classes; $class++) {
                $squares[$class][$i] /= $all;
            }
        }

        return $squares;
    }

    /**
     * The sum of squares as it stands, where there are too many products to write out.
     *
     * @param  list<list<float>>  $columns
     * @param  list<int>  $order
     * @param  list<list<float>>  $form
     * @param  list<float>  $means
     * @return list<float>
     */
    private static function plain(array $columns, int $count, array $order, array $form, array $means, float $constant): array
    {
        $squares = array_fill(0, $count, $constant);
        foreach ($form as $row => $factors) {
            $first = $row + 1 - count($factors);
            for ($i = 0; $i < $count; $i++) {
                $sum = 0.0;
                foreach ($factors as $k => $factor) {
                    $sum += $factor * ($columns[$order[$first + $k]][$i] - $means[$first + $k]);
                }
                $squares[$i] += $sum * $sum;
            }
        }

        return $squares;
    }

    /**
     * @param  list<list<float>>  $columns
     * @return list<list<float>> in the order in which classes look at them
     */
    private function inOrder(array $columns): array
    {
        return array_map(fn (int $band): array => $columns[$band], $this->order);
    }

    /**
     * Squares of one class.
     *
     * @return \Closure(list<list<float>>, int): list<float>
     */
    private function ofClass(int $class): \Closure
    {
        $numbers = [$this->constants[$class]];
        $lines = $this->lines($class, function (float $number) use (&$numbers): string {
            $numbers[] = $number;

            return '$p'.array_key_last($numbers);
        });
        $bands = count($this->order);
        $loop = Kernel::of('array $in, int $n, array $numbers')
            ->each($bands, '$b# = $in[#];')
            ->each(count($numbers), '$p# = $numbers[#];')
            ->text('$out = [];')
            ->loop(fn (Kernel $case): Kernel => $case->each($bands, '$x# = $b#[$i];')->text('$s = $p0;')->text(implode("\n", $lines))->text('$out[] = $s;'))
            ->text('return $out;')
            ->compile();

        return fn (array $columns, int $count): array => $loop($columns, $count, $numbers);
    }

    /**
     * Codes only: a class is left as soon as it lies too far; the class of the pixel before is looked at first, since it is the right one as a rule.
     *
     * @return \Closure(list<list<float>>, int): list<int>
     */
    private function codesOnly(): \Closure
    {
        $bands = count($this->order);
        $first = $others = $names = '';
        $reaches = $this->reaches();
        foreach ($this->codes as $class => $code) {
            $constant = Kernel::number($this->constants[$class]);
            $lines = $this->lines($class, Kernel::number(...));
            $named = fn (string $sum): string => $this->limits[$class] < INF
                ? "$sum - $constant > ".Kernel::number($this->limits[$class])." ? 0 : $code"
                : (string) $code;
            $stays = isset($reaches[$class]) ? ' if ($s < '.Kernel::number($reaches[$class]).') { $out[] = '.$named('$s').'; continue 2; }' : '';
            $first .= "case $class: \$s = $constant; ".implode(' ', $lines)."$stays break;\n";
            $names .= "case $class: \$out[] = ".$named('$best')."; break;\n";
            $last = array_pop($lines)." if (\$s < \$best || (\$s === \$best && $class < \$at)) { \$best = \$s; \$at = $class; }";
            $nested = implode('', array_map(fn (string $line): string => "$line if (\$s <= \$best) { ", $lines));
            $others .= "if (\$before !== $class) { \$s = $constant; if (\$s <= \$best) { $nested$last".str_repeat(' }', count($lines))." } }\n";
        }

        return Kernel::of('array $in, int $n')
            ->each($bands, '$b# = $in[#];')
            ->text('$out = []; $before = 0;')
            ->loop(fn (Kernel $case): Kernel => $case
                ->each($bands, '$x# = $b#[$i];')
                ->text('$s = '.Kernel::joined($bands, '$x#').';')
                ->text("if (\$s - \$s !== 0.0) { \$out[] = $this->nodata; continue; }")
                ->block('switch ($before)', fn (Kernel $switch): Kernel => $switch->text($first))
                ->text('$best = $s; $at = $before;')
                ->text($others)
                ->text('$before = $at;')
                ->block('switch ($at)', fn (Kernel $switch): Kernel => $switch->text($names)))
            ->text('return $out;')
            ->compile();
    }

    /**
     * Where all classes measure alike: within half the way to the nearest other mean there is none that is nearer.
     *
     * @return list<float> squares by class; nothing where each class has a measure of its own
     */
    private function reaches(): array
    {
        if (count($this->means) < 2 || $this->isLikelihood || array_filter($this->forms, fn (array $form): bool => $form !== $this->forms[0]) !== []) {
            return [];
        }
        $reaches = [];
        foreach ($this->means as $a => $one) {
            $least = INF;
            foreach ($this->means as $b => $other) {
                $squares = array_sum(array_map(fn (float $x, float $y, array $factor): float => ($factor[0] * ($x - $y)) ** 2, $one, $other, $this->forms[0]));
                $least = $a === $b ? $least : min($least, $squares);
            }
            // a little less, for what rounding may add
            $reaches[] = 0.2499999 * $least;
        }

        return $reaches;
    }

    /**
     * @param  \Closure(float): string  $number  how a number gets into the text
     * @return list<string> each adds the square of one linear form to the sum
     */
    private function lines(int $class, \Closure $number): array
    {
        $lines = [];
        foreach ($this->forms[$class] as $row => $factors) {
            $first = $row + 1 - count($factors);
            if (count($factors) === 1) {
                $apart = "(\$x$first - ".$number($this->means[$class][$first]).')';
                $form = $factors[0] === 1.0 ? $apart : $number($factors[0])." * $apart";
            } else {
                $offset = 0.0;
                $terms = [];
                foreach ($factors as $k => $factor) {
                    $offset -= $factor * $this->means[$class][$first + $k];
                    $terms[] = $number($factor).' * $x'.($first + $k);
                }
                $form = implode(' + ', $terms).' + '.$number($offset);
            }
            $lines[] = "\$t = $form; \$s += \$t * \$t;";
        }

        return $lines;
    }
}
