<?php

namespace Chorometra\Core\Arithmetic;

use Chorometra\Core\Work\Kernel;

/**
 * Lines of arithmetic as one loop over pixels, generated from checked trees. Nodata goes through everything but valid() and where(), which
 * looks at the branch it takes only; “false and nodata” is false, “true or nodata” is true. A division by zero, the root of a negative, the
 * logarithm of what is not above 0, and what is beyond all numbers are nodata.
 */
final class Formula
{
    /** @var array<string, array<mixed>> trees by line */
    private array $lines;

    /** @var array<string, int> names of what is read, in order of appearance */
    private array $names = [];

    private int $temporary = 0;

    private string $code = '';

    /** @var list<float> as they stand in the text */
    private array $numbers = [];

    /** @param  list<string>  $reserved  names that no line may have */
    public function __construct(string $text, array $reserved = [])
    {
        $this->lines = Parser::lines($text, $reserved);
        foreach ($this->lines as $tree) {
            $this->find($tree);
        }
    }

    /** @return list<string> what it reads, in order of appearance */
    public function names(): array
    {
        return array_keys($this->names);
    }

    /** @return list<string> what it makes */
    public function made(): array
    {
        return array_keys($this->lines);
    }

    /**
     * A function from the names' arrays, in the order of names(), and their length to the results of the lines.
     *
     * @return \Closure(list<list<float>>, int): list<list<float>>
     */
    public function compile(): \Closure
    {
        $this->code = '';
        $this->temporary = 0;
        $this->numbers = [];
        foreach (array_values($this->lines) as $number => $tree) {
            $value = $this->emit($tree, '');
            $this->code .= "\$l$number = $value;\n\$o{$number}[\$i] = \$l$number;\n";
        }
        [$read, $made, $numbers] = [count($this->names), count($this->lines), $this->numbers];
        $loop = Kernel::of('array $in, int $n, array $numbers')
            ->each($read, '$a# = $in[#];')
            ->each(count($numbers), '$c# = $numbers[#];')
            ->each($made, '$o# = array_fill(0, $n, NAN);')
            ->loop(fn (Kernel $pixel): Kernel => $pixel->each($read, '$v# = $a#[$i];')->text($this->code))
            ->text('return ['.Kernel::joined($made, '$o#', ', ').'];')
            ->compile();

        return fn (array $bands, int $count): array => $loop($bands, $count, $numbers);
    }

    /** @param  array<mixed>  $tree */
    private function find(array $tree): void
    {
        if ($tree[0] === 'name') {
            $this->names[$tree[1]] ??= count($this->names);
        }
        foreach ($tree as $part) {
            if (is_array($part)) {
                isset($part[0]) && is_array($part[0]) ? array_map($this->find(...), $part) : $this->find($part);
            }
        }
    }

    /**
     * Statements that compute a tree go to the code; what it comes to is told.
     *
     * @param  array<mixed>  $tree
     */
    private function emit(array $tree, string $indent): string
    {
        [$kind] = $tree;

        return match ($kind) {
            'number' => $this->number($tree[1]),
            'nodata' => 'NAN',
            'name' => '$v'.$this->names[$tree[1]],
            'line' => '$l'.array_search($tree[1], array_keys($this->lines), true),
            'negative' => '(-'.$this->emit($tree[1], $indent).')',
            'not' => $this->not($this->kept($this->emit($tree[1], $indent), $indent), $indent),
            'and', 'or' => $this->joined($kind === 'and', $tree[1], $tree[2], $indent),
            'call' => $this->called($tree[1], $tree[2], $indent),
            default => $this->binary($kind, $this->emit($tree[1], $indent), $this->emit($tree[2], $indent), $indent),
        };
    }

    /** Numbers are arguments, so that a limit that is drawn along makes no new code. */
    private function number(mixed $value): string
    {
        $this->numbers[] = is_float($value) && $value < 1e300 ? $value : NAN;

        return '$c'.array_key_last($this->numbers);
    }

    private function binary(string $sign, string $left, string $right, string $indent): string
    {
        return match ($sign) {
            '+', '-', '*' => "($left $sign $right)",
            '/' => $this->divided($left, $this->kept($right, $indent), $indent),
            '^' => $this->power($this->kept($left, $indent), $this->kept($right, $indent), $indent),
            default => $this->compared($sign, $this->kept($left, $indent), $this->kept($right, $indent), $indent),
        };
    }

    /** NaN to the power of 0 and 1 to that of NaN are 1 to the processor: nodata stays nodata. */
    private function power(string $left, string $right, string $indent): string
    {
        return $this->finite("$left !== $left || $right !== $right ? NAN : $left ** $right", $indent);
    }

    private function divided(string $left, string $right, string $indent): string
    {
        return $this->kept("$right == 0.0 ? NAN : $left / $right", $indent);
    }

    /** A comparison with nothing is nothing. */
    private function compared(string $sign, string $left, string $right, string $indent): string
    {
        return $this->kept("$left !== $left || $right !== $right ? NAN : ($left $sign $right ? 1.0 : 0.0)", $indent);
    }

    private function not(string $value, string $indent): string
    {
        return $this->kept("$value !== $value ? NAN : ($value == 0.0 ? 1.0 : 0.0)", $indent);
    }

    /**
     * The second is looked at only where the first does not settle it.
     *
     * @param  array<mixed>  $one
     * @param  array<mixed>  $other
     */
    private function joined(bool $isAnd, array $one, array $other, string $indent): string
    {
        $left = $this->kept($this->emit($one, $indent), $indent);
        $t = $this->fresh();
        [$settles, $value] = $isAnd ? ["$left == 0.0", '0.0'] : ["$left == $left && $left != 0.0", '1.0'];
        $this->code .= "{$indent}if ($settles) {\n$indent    $t = $value;\n$indent} else {\n";
        $right = $this->kept($this->emit($other, "$indent    "), "$indent    ");
        $known = $isAnd ? "$right == 0.0" : "$right == $right && $right != 0.0";
        $rest = $isAnd ? '1.0' : '0.0';
        $this->code .= "$indent    $t = $known ? $value : ($left !== $left || $right !== $right ? NAN : $rest);\n$indent}\n";

        return $t;
    }

    /** @param  list<array<mixed>>  $given */
    private function called(string $name, array $given, string $indent): string
    {
        if ($name === 'where') {
            return $this->where($given[0], $given[1], $given[2], $indent);
        }
        $values = array_map(fn (array $tree): string => $this->kept($this->emit($tree, $indent), $indent), $given);
        $x = $values[0];

        return match ($name) {
            'abs', 'sin', 'cos', 'tan', 'atan', 'floor' => $this->kept("$name($x)", $indent),
            'sqrt' => $this->kept("$x >= 0.0 ? sqrt($x) : NAN", $indent),
            'ln' => $this->kept("$x > 0.0 ? log($x) : NAN", $indent),
            'log10' => $this->kept("$x > 0.0 ? log10($x) : NAN", $indent),
            'exp' => $this->finite("exp($x)", $indent),
            'asin', 'acos' => $this->kept("$x >= -1.0 && $x <= 1.0 ? $name($x) : NAN", $indent),
            'atan2' => $this->kept("atan2($x, $values[1])", $indent),
            'round' => $this->kept("$x >= 0.0 ? floor($x + 0.5) : -floor(0.5 - $x)", $indent),
            'valid' => $this->kept("$x === $x ? 1.0 : 0.0", $indent),
            'clip' => $this->extreme('>', [$this->extreme('<', [$x, $values[2]], $indent), $values[1]], $indent),
            default => $this->extreme($name === 'min' ? '<' : '>', $values, $indent),
        };
    }

    /** @param  list<string>  $values */
    private function extreme(string $sign, array $values, string $indent): string
    {
        $best = array_shift($values);
        foreach ($values as $value) {
            $best = $this->kept("$best !== $best || $value !== $value ? NAN : ($value $sign $best ? $value : $best)", $indent);
        }

        return (string) $best;
    }

    /**
     * @param  array<mixed>  $condition
     * @param  array<mixed>  $yes
     * @param  array<mixed>  $no
     */
    private function where(array $condition, array $yes, array $no, string $indent): string
    {
        $is = $this->kept($this->emit($condition, $indent), $indent);
        $t = $this->fresh();
        $this->code .= "{$indent}if ($is !== $is) {\n$indent    $t = NAN;\n$indent} elseif ($is != 0.0) {\n";
        $value = $this->emit($yes, "$indent    ");
        $this->code .= "$indent    $t = $value;\n$indent} else {\n";
        $value = $this->emit($no, "$indent    ");
        $this->code .= "$indent    $t = $value;\n$indent}\n";

        return $t;
    }

    /** What is beyond all numbers is nothing. */
    private function finite(string $expression, string $indent): string
    {
        $t = $this->kept($expression, $indent);
        $this->code .= "{$indent}if ($t - $t !== 0.0) {\n$indent    $t = NAN;\n$indent}\n";

        return $t;
    }

    /** What is used more than once is computed once. */
    private function kept(string $expression, string $indent): string
    {
        if (preg_match('/^\$[tvlc]\d+$/', $expression)) {
            return $expression;
        }
        $t = $this->fresh();
        $this->code .= "$indent$t = $expression;\n";

        return $t;
    }

    private function fresh(): string
    {
        return '$t'.$this->temporary++;
    }
}
