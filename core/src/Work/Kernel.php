<?php

namespace Chorometra\Core\Work;

/**
 * Builds a function with a loop written out for a fixed number of bands, classes or terms: PHP keeps a value in a variable much faster than in an
 * array of arrays. Its text depends on the structure alone; numbers are arguments, so that other numbers use the same file. What people type
 * (names, labels, formulas) never gets into the text.
 */
final class Kernel
{
    private string $body = '';

    private int $depth = 1;

    private function __construct(private readonly string $parameters, private readonly string $returns) {}

    /** @param  literal-string  $parameters  as PHP declares them */
    public static function of(string $parameters, string $returns = 'array'): self
    {
        return new self($parameters, $returns);
    }

    /** Lines as they are. */
    public function text(string $code): self
    {
        foreach (explode("\n", $code) as $line) {
            $this->body .= $line === '' ? '' : str_repeat('    ', $this->depth)."$line\n";
        }

        return $this;
    }

    /**
     * A line for each number, which stands in the place of “#”: `$b# = $in[#];`.
     *
     * @param  int|list<int>  $numbers  those below it, or these
     */
    public function each(int|array $numbers, string $line): self
    {
        foreach (self::numbers($numbers) as $number) {
            $this->text(self::numbered($line, $number));
        }

        return $this;
    }

    /**
     * `$head { … }`, such as a loop or a condition.
     *
     * @param  \Closure(self): mixed  $inner  adds what is inside
     */
    public function block(string $head, \Closure $inner): self
    {
        $this->text("$head {");
        $this->depth++;
        $inner($this);
        $this->depth--;

        return $this->text('}');
    }

    /**
     * `for ($i = 0; $i < $n; ++$i) { … }`
     *
     * @param  \Closure(self): mixed  $inner
     */
    public function loop(\Closure $inner): self
    {
        return $this->block('for ($i = 0; $i < $n; ++$i)', $inner);
    }

    /**
     * Terms joined by a sign: `joined(2, '$x# * $x#')` is `$x0 * $x0 + $x1 * $x1`.
     *
     * @param  int|list<int>  $numbers
     */
    public static function joined(int|array $numbers, string $term, string $sign = ' + '): string
    {
        return implode($sign, array_map(fn (int $number): string => self::numbered($term, $number), self::numbers($numbers)));
    }

    /**
     * A number in the text. Only where there are hundreds: as arguments they cost a fifth of the time (maximum likelihood of eight classes and six
     * bands), but each model has a file of its own.
     */
    public static function number(float $number): string
    {
        return match ($number) {
            INF => 'INF',
            -INF => '-INF',
            default => '('.var_export($number, true).')',
        };
    }

    /** What is compiled, to be read. */
    public function code(): string
    {
        return "return static function ($this->parameters): $this->returns {\n$this->body};\n";
    }

    public function compile(): \Closure
    {
        return GeneratedCode::load($this->code());
    }

    private static function numbered(string $text, int $number): string
    {
        return str_replace('#', (string) $number, $text);
    }

    /**
     * @param  int|list<int>  $numbers
     * @return list<int>
     */
    private static function numbers(int|array $numbers): array
    {
        return is_array($numbers) ? $numbers : ($numbers > 0 ? range(0, $numbers - 1) : []);
    }
}
