<?php

namespace Chorometra\Core\Derive\Arithmetic;

use Chorometra\Core\Problem;

/**
 * A formula in ordinary arithmetic over names: numbers, + - * /, parentheses, sqrt(). Parsed to a checked tree, from which the
 * loop over pixels is generated; nothing of the text itself ever gets into code. A division by zero and the root of a negative give NaN.
 */
final class Formula
{
    /** @var list<string> */
    private array $tokens;

    private int $at = 0;

    /** @var array<string, int> names in order of appearance */
    private array $names = [];

    /** @var array<mixed> */
    private array $tree;

    public function __construct(private readonly string $text)
    {
        if (strlen($text) > 2000 || ! preg_match('/^(?:\s*(?:\d+\.?\d*(?:e-?\d+)?|[a-z][a-z0-9]*|[-+*\/()]))+\s*$/', $text)) {
            throw Problem::call("The formula “{$text}” holds something that is no number, name or sign.");
        }
        preg_match_all('/\d+\.?\d*(?:e-?\d+)?|[a-z][a-z0-9]*|[-+*\/()]/', $text, $found);
        $this->tokens = $found[0];
        $this->tree = $this->sum();
        if ($this->at < count($this->tokens)) {
            throw $this->unexpected();
        }
    }

    /** @return list<string> the names it uses, in order of appearance */
    public function names(): array
    {
        return array_keys($this->names);
    }

    /**
     * A function from the names' arrays, in the order of names(), and their length to the results.
     *
     * @return \Closure(list<list<float>>, int): list<float>
     */
    public function compile(): \Closure
    {
        return GeneratedCode::load($this->code());
    }

    private function code(): string
    {
        $statements = [];
        $temporary = 0;
        $value = $this->emit($this->tree, $statements, $temporary);
        $bind = '';
        $take = '';
        foreach (array_values($this->names) as $index) {
            $bind .= "    \$a$index = \$in[$index];\n";
            $take .= "        \$v$index = \$a{$index}[\$i];\n";
        }

        return "return static function (array \$in, int \$n): array {\n$bind    \$out = array_fill(0, \$n, NAN);\n"
            ."    for (\$i = 0; \$i < \$n; ++\$i) {\n$take".implode('', $statements)."        \$out[\$i] = $value;\n    }\n    return \$out;\n};\n";
    }

    /**
     * @param  array<mixed>  $node
     * @param  list<string>  $statements
     */
    private function emit(array $node, array &$statements, int &$temporary): string
    {
        [$kind] = $node;
        if ($kind === 'number') {
            return var_export($node[1], true);
        }
        if ($kind === 'name') {
            return '$v'.$node[1];
        }
        $left = $this->emit($node[1], $statements, $temporary);
        if ($kind === 'negative') {
            return "(-$left)";
        }
        $t = '$t'.$temporary++;
        if ($kind === 'sqrt') {
            $statements[] = "        $t = $left;\n        $t = $t >= 0.0 ? sqrt($t) : NAN;\n";

            return $t;
        }
        $right = $this->emit($node[2], $statements, $temporary);
        if ($kind === '/') {
            $statements[] = "        $t = $right;\n        if ($t == 0.0) {\n            continue;\n        }\n";

            return "(($left) / $t)";
        }

        return "($left $kind $right)";
    }

    /** @return array<mixed> */
    private function sum(): array
    {
        $left = $this->product();
        while (in_array($this->peek(), ['+', '-'], true)) {
            $left = [$this->next(), $left, $this->product()];
        }

        return $left;
    }

    /** @return array<mixed> */
    private function product(): array
    {
        $left = $this->factor();
        while (in_array($this->peek(), ['*', '/'], true)) {
            $left = [$this->next(), $left, $this->factor()];
        }

        return $left;
    }

    /** @return array<mixed> */
    private function factor(): array
    {
        $token = $this->next();
        if ($token === '-') {
            return ['negative', $this->factor()];
        }
        if ($token === '(') {
            $inner = $this->sum();
            if ($this->next() !== ')') {
                throw $this->unexpected();
            }

            return $inner;
        }
        if ($token === 'sqrt') {
            return ['sqrt', $this->factor()];
        }
        if ($token !== '' && ctype_digit($token[0])) {
            return ['number', (float) $token];
        }
        if ($token !== '' && ctype_alpha($token[0])) {
            return ['name', $this->names[$token] ??= count($this->names)];
        }
        throw $this->unexpected();
    }

    private function peek(): string
    {
        return $this->tokens[$this->at] ?? '';
    }

    private function next(): string
    {
        return $this->tokens[$this->at++] ?? '';
    }

    private function unexpected(): Problem
    {
        $token = $this->tokens[min($this->at, count($this->tokens)) - 1] ?? '';

        return Problem::call("The formula “{$this->text}” can't be read at “{$token}”.");
    }
}
