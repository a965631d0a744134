<?php

namespace Chorometra\Core\Arithmetic;

use Chorometra\Core\Problem;

/**
 * Lines of arithmetic to checked trees: numbers (5% is 0.05), names, + - * / ^, comparisons, and or not, functions, and every index by its name.
 * ^ binds to the right, and before a minus sign. Nothing of the text ever gets into code.
 *
 * @phpstan-type Node array{string, mixed, 2?: mixed, 3?: mixed}
 */
final class Parser
{
    private const MOST_TEXT = 4000;

    private const MOST_LINES = 40;

    private const MOST_DEPTH = 60;

    /** Functions with the least and the greatest number of what they take. */
    public const FUNCTIONS = [
        'abs' => [1, 1], 'sqrt' => [1, 1], 'exp' => [1, 1], 'ln' => [1, 1], 'log10' => [1, 1], 'sin' => [1, 1], 'cos' => [1, 1], 'tan' => [1, 1],
        'asin' => [1, 1], 'acos' => [1, 1], 'atan' => [1, 1], 'atan2' => [2, 2], 'min' => [2, 20], 'max' => [2, 20], 'clip' => [3, 3],
        'round' => [1, 1], 'floor' => [1, 1], 'where' => [3, 3], 'valid' => [1, 1],
    ];

    private const WORDS = ['and', 'or', 'not', 'pi', 'nodata'];

    private const COMPARISONS = ['<', '<=', '>', '>=', '==', '!='];

    private const TOKEN = '/\G[ \t]*(?:(\d+\.?\d*(?:[eE][-+]?\d+)?%?|\.\d+(?:[eE][-+]?\d+)?%?)|'
        .'([a-z][a-z0-9_]*(?:\.[a-z][a-z0-9_]*)?)|(<=|>=|==|!=|[-+*\/^()<>,=]))/';

    /** @var list<array{string, string, int}> kind, text and place of each */
    private array $tokens = [];

    private int $at = 0;

    private int $depth = 0;

    /** @var array<string, mixed> trees of the lines so far, by name */
    private array $lines = [];

    private int $line = 0;

    /** @param  list<string>  $reserved  names that no line may have */
    private function __construct(private readonly array $reserved) {}

    /**
     * @param  list<string>  $reserved  names that no line may have: roles, images
     * @return array<string, mixed> trees by the names of the lines, “value” for one that has none
     *
     * @throws Problem that says where
     */
    public static function lines(string $text, array $reserved = []): array
    {
        if (trim($text) === '' || strlen($text) > self::MOST_TEXT) {
            throw Problem::call('The formula is empty, or longer than '.self::MOST_TEXT.' characters.', 'formula');
        }
        $parser = new self($reserved);
        $lines = preg_split('/[\n;]/', str_replace(["\r", '−'], ['', '-'], $text)) ?: [];
        if (count($lines) > self::MOST_LINES) {
            throw Problem::call('The formula has more than '.self::MOST_LINES.' lines.', 'formula');
        }
        foreach ($lines as $number => $line) {
            if (trim($line) !== '') {
                $parser->line($line, $number + 1);
            }
        }

        return $parser->lines;
    }

    /** @return list<string> what means something, in the order of the alphabet; functions and indices with their bracket */
    public static function words(): array
    {
        $words = [
            ...self::WORDS,
            ...array_map(fn (string $name): string => "$name(", array_keys(self::FUNCTIONS)),
            ...array_map(fn (string $name): string => "$name()", array_keys(Indices::TABLE)),
        ];
        sort($words);

        return $words;
    }

    /** Whether a word means something already. */
    public static function isTaken(string $name): bool
    {
        return isset(self::FUNCTIONS[$name]) || isset(Indices::TABLE[$name]) || in_array($name, self::WORDS, true);
    }

    private function line(string $text, int $number): void
    {
        $this->line = $number;
        $this->tokens = $this->tokens($text);
        $this->at = 0;
        $name = 'value';
        if (($this->tokens[1][1] ?? '') === '=') {
            [$kind, $name] = $this->tokens[0];
            if ($kind !== 'name' || str_contains($name, '.')) {
                throw $this->wrong('a line begins with its name, such as “water = …”');
            }
            if (self::isTaken($name) || in_array($name, $this->reserved, true)) {
                throw $this->wrong("“{$name}” has another meaning already: rename the line");
            }
        }
        if (isset($this->lines[$name])) {
            throw $this->wrong($name === 'value' ? 'only one line may be without a name' : "a line is named “{$name}” already");
        }
        $this->at = ($this->tokens[1][1] ?? '') === '=' ? 2 : 0;
        $tree = $this->either();
        if ($this->at < count($this->tokens)) {
            throw $this->unexpected();
        }
        $this->lines[$name] = $tree;
    }

    /** @return list<array{string, string, int}> */
    private function tokens(string $text): array
    {
        $tokens = [];
        $text = rtrim($text);
        for ($at = 0, $length = strlen($text); $at < $length;) {
            if (! preg_match(self::TOKEN, $text, $found, 0, $at)) {
                $this->tokens = [['', mb_substr(ltrim(substr($text, $at)), 0, 1), $at + 1]];
                throw $this->unexpected();
            }
            $kind = $found[1] !== '' ? 'number' : (($found[2] ?? '') !== '' ? 'name' : 'sign');
            $tokens[] = [$kind, trim($found[0]), $at + strlen($found[0]) - strlen(trim($found[0])) + 1];
            $at += strlen($found[0]);
        }

        return $tokens;
    }

    /** @return array<mixed> */
    private function either(): array
    {
        if (++$this->depth > self::MOST_DEPTH) {
            throw $this->wrong('it is nested too deeply');
        }
        $left = $this->both();
        while ($this->takes('or')) {
            $left = ['or', $left, $this->both()];
        }
        $this->depth--;

        return $left;
    }

    /** @return array<mixed> */
    private function both(): array
    {
        $left = $this->negated();
        while ($this->takes('and')) {
            $left = ['and', $left, $this->negated()];
        }

        return $left;
    }

    /** @return array<mixed> */
    private function negated(): array
    {
        return $this->takes('not') ? ['not', $this->negated()] : $this->compared();
    }

    /** @return array<mixed> */
    private function compared(): array
    {
        $left = $this->sum();
        if (in_array($this->peek(), self::COMPARISONS, true)) {
            $left = [$this->next(), $left, $this->sum()];
            if (in_array($this->peek(), self::COMPARISONS, true)) {
                throw $this->wrong('one comparison at a time: join two with “and”');
            }
        }

        return $left;
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
        $left = $this->signed();
        while (in_array($this->peek(), ['*', '/'], true)) {
            $left = [$this->next(), $left, $this->signed()];
        }

        return $left;
    }

    /** @return array<mixed> */
    private function signed(): array
    {
        if (++$this->depth > self::MOST_DEPTH) {
            throw $this->wrong('it is nested too deeply');
        }
        $made = $this->takes('-') ? ['negative', $this->signed()] : $this->power();
        $this->depth--;

        return $made;
    }

    /** @return array<mixed> */
    private function power(): array
    {
        $base = $this->primary();

        return $this->takes('^') ? ['^', $base, $this->signed()] : $base;
    }

    /** @return array<mixed> */
    private function primary(): array
    {
        [$kind, $text] = $this->tokens[$this->at] ?? ['end', ''];
        if ($kind === 'number') {
            $this->at++;

            return ['number', str_ends_with($text, '%') ? (float) substr($text, 0, -1) / 100 : (float) $text];
        }
        if ($kind === 'sign' && $text === '(') {
            $this->at++;
            $inner = $this->either();
            $this->needs(')');

            return $inner;
        }
        if ($kind !== 'name' || in_array($text, ['and', 'or', 'not'], true)) {
            throw $this->unexpected();
        }
        $this->at++;
        if ($text === 'pi') {
            return ['number', M_PI];
        }
        if ($text === 'nodata') {
            return ['nodata'];
        }
        if ($this->peek() === '(') {
            return $this->called($text);
        }
        if (isset($this->lines[$text])) {
            return ['line', $text];
        }
        if (isset(self::FUNCTIONS[$text]) || isset(Indices::TABLE[$text])) {
            $this->at--;
            throw $this->wrong("“{$text}” needs parentheses after it");
        }

        return ['name', $text];
    }

    /** @return array<mixed> */
    private function called(string $name): array
    {
        $place = --$this->at;
        $takes = self::FUNCTIONS[$name] ?? null;
        if ($takes === null && ! isset(Indices::TABLE[$name])) {
            throw $this->wrong("there is no function “{$name}”");
        }
        $this->at += 2;
        if ($takes === null) {
            return $this->index($name);
        }
        $given = [];
        if (! $this->takes(')')) {
            do {
                $given[] = $this->either();
            } while ($this->takes(','));
            $this->needs(')');
        }
        [$least, $most] = $takes;
        if (count($given) < $least || count($given) > $most) {
            $this->at = $place;
            throw $this->wrong(sprintf('“%s” needs %s, not %d', $name, $least === $most ? $least : "$least to $most", count($given)));
        }

        return ['call', $name, $given];
    }

    /**
     * An index of the one image, or of one that is named.
     *
     * @return array<mixed>
     */
    private function index(string $name): array
    {
        [$kind, $image] = $this->tokens[$this->at] ?? ['end', ''];
        if ($kind === 'name' && ! str_contains($image, '.')) {
            $this->at++;
        } else {
            $image = '';
        }
        $this->needs(')');
        $inner = new self([]);
        $inner->line(Indices::TABLE[$name][1], $this->line);

        return self::of($inner->lines['value'], $image === '' ? '' : "$image.");
    }

    /**
     * A tree whose names are those of an image.
     *
     * @param  array<mixed>  $tree
     * @return array<mixed>
     */
    private static function of(array $tree, string $prefix): array
    {
        if ($tree[0] === 'name') {
            return ['name', $prefix.$tree[1]];
        }

        return array_map(fn (mixed $part): mixed => is_array($part) ? self::of($part, $prefix) : $part, $tree);
    }

    private function peek(): string
    {
        [$kind, $text] = $this->tokens[$this->at] ?? ['end', ''];

        return $kind === 'number' ? '' : $text;
    }

    private function next(): string
    {
        return $this->tokens[$this->at++][1];
    }

    private function takes(string $text): bool
    {
        $is = $this->peek() === $text;
        $this->at += $is ? 1 : 0;

        return $is;
    }

    private function needs(string $text): void
    {
        if (! $this->takes($text)) {
            throw $this->wrong("a “{$text}” is missing");
        }
    }

    private function unexpected(): Problem
    {
        $text = $this->tokens[$this->at][1] ?? null;

        return $this->wrong($text === null ? 'it is incomplete' : "“{$text}” is not allowed there");
    }

    private function wrong(string $what): Problem
    {
        $last = $this->tokens[count($this->tokens) - 1] ?? ['', '', 1];
        $place = $this->tokens[$this->at][2] ?? $last[2] + strlen($last[1]);

        return new Problem(
            "The formula can't be read in line {$this->line} at character $place: $what.",
            2,
            'formula',
            ['line' => $this->line, 'character' => $place],
        );
    }
}
