<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Work\Kernel;

/** Sums of squares of linear forms and a constant, |W (x − m)|² + c, one for each class; loops are generated for the classes at hand. */
final readonly class SquareForms
{
    /** Products beyond which a loop is not written out any more. */
    private const MOST_PRODUCTS = 40_000;

    private bool $isLarge;

    /**
     * @param  list<int>  $codes  by class
     * @param  int  $nodata  code of what lacks a value
     * @param  list<int>  $order  of the bands: those that tell most come first, so that a class is left early
     * @param  list<list<float>>  $means  by class and place in that order
     * @param  list<list<list<float>>>  $forms  by class: rows of W, each as long as there are places up to its own (triangular), or one number for its own
     * @param  list<float>  $constants
     * @param  list<float>  $limits  squares, without the constant, beyond which a case belongs nowhere; INF where none does
     */
    public function __construct(
        private array $codes,
        private int $nodata,
        private array $order,
        private array $means,
        private array $forms,
        private array $constants,
        private array $limits,
    ) {
        $this->isLarge = array_sum(array_map(fn (array $form): int => array_sum(array_map(count(...), $form)), $forms)) > self::MOST_PRODUCTS;
    }

    /**
     * Bands by how far the means lie apart, in the spread of the classes.
     *
     * @param  list<list<float>>  $means
     * @param  list<float>  $spreads  squares, by band
     * @return list<int>
     */
    public static function order(array $means, array $spreads): array
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
    public static function ordered(array $rows, array $order): array
    {
        return array_map(fn (array $row): array => array_map(fn (int $band): float => $row[$band], $order), $rows);
    }

    /**
     * The class whose sum is the least, where nothing else is wanted.
     *
     * @param  list<list<float>>  $columns  values by band, NaN nodata
     * @return list<int>|null codes; null where there are too many products to write them out
     */
    public function codes(array $columns, int $count): ?array
    {
        return $this->isLarge ? null : $this->codesOnly()($this->inOrder($columns), $count);
    }

    /**
     * Sums of each class with its constant, added up in the order of `codes`, so that both tell the same.
     *
     * @param  list<list<float>>  $columns  values by band, NaN nodata
     * @return list<list<float>> by class
     */
    public function squares(array $columns, int $count): array
    {
        $squares = [];
        foreach ($this->forms as $class => $form) {
            $squares[] = $this->isLarge
                ? self::plain($columns, $count, $this->order, $form, $this->means[$class], $this->constants[$class])
                : $this->ofClass($class)($this->inOrder($columns), $count);
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
        $isPlain = array_filter($this->constants) === [] && max([0, ...array_map(count(...), $this->forms[0] ?? [])]) < 2;
        if (count($this->means) < 2 || ! $isPlain || array_filter($this->forms, fn (array $form): bool => $form !== $this->forms[0]) !== []) {
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
