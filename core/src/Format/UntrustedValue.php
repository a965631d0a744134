<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Utf8;

/**
 * What a file or a service tells, where anything may be of any type: read as the type that makes sense here, or as nothing. Texts are
 * sound UTF-8 and of bounded length, numbers are finite.
 */
final readonly class UntrustedValue
{
    private const MOST_TEXT = 4096;

    private const DEPTH = 64;

    public function __construct(private mixed $value) {}

    /**
     * A text of JSON.
     *
     * @throws Problem where it is none, or nested too deeply
     */
    public static function json(string $text, string $name, ?string $about = null): self
    {
        return self::orNothing($text) ?? throw Problem::input("$name is no JSON that can be read.", $about);
    }

    /** A text of JSON, or null where it is none. */
    public static function orNothing(string $text): ?self
    {
        $text = str_starts_with($text, "\xEF\xBB\xBF") ? substr($text, 3) : $text;
        $value = json_decode($text, true, self::DEPTH);
        if ($value === null && in_array(json_last_error(), [JSON_ERROR_UTF8, JSON_ERROR_SYNTAX, JSON_ERROR_CTRL_CHAR], true)) {
            $sound = Utf8::of($text);
            // a second time only where that was what was wrong
            $value = $sound === $text ? $value : json_decode($sound, true, self::DEPTH);
        }

        return json_last_error() === JSON_ERROR_NONE ? new self($value) : null;
    }

    /** The JSON of a file of at most $most bytes; null where there is none that can be read. */
    public static function file(string $path, int $most): ?self
    {
        return is_file($path) && filesize($path) <= $most ? self::orNothing((string) @file_get_contents($path)) : null;
    }

    /** A member of it, and of that; nothing where there is none. */
    public function at(string|int ...$names): self
    {
        $value = $this->value;
        foreach ($names as $name) {
            $value = is_array($value) ? $value[$name] ?? null : null;
        }

        return new self($value);
    }

    public function isThere(): bool
    {
        return $this->value !== null;
    }

    public function isMap(): bool
    {
        return is_array($this->value);
    }

    /** Text, or a number as text; null for anything else. */
    public function text(): ?string
    {
        if (is_int($this->value) || is_float($this->value)) {
            return is_finite($this->value) ? (string) $this->value : null;
        }

        return is_string($this->value) && strlen($this->value) <= self::MOST_TEXT && mb_check_encoding($this->value, 'UTF-8') ? $this->value : null;
    }

    /** A finite number, given as one or as text. */
    public function number(): ?float
    {
        $number = is_int($this->value) || is_float($this->value) || (is_string($this->value) && is_numeric($this->value)) ? (float) $this->value : NAN;

        return is_finite($number) ? $number : null;
    }

    public function whole(): ?int
    {
        $number = $this->number();

        return $number === null || abs($number) > 2 ** 53 || floor($number) !== $number ? null : (int) $number;
    }

    /** @return list<self> its members in order; one that is no list is none */
    public function list(): array
    {
        return is_array($this->value) ? array_values(array_map(fn (mixed $one): self => new self($one), $this->value)) : [];
    }

    /** @return array<string, self> its members by name */
    public function members(): array
    {
        $members = [];
        foreach (is_array($this->value) ? $this->value : [] as $name => $value) {
            $members[(string) $name] = new self($value);
        }

        return $members;
    }

    /** @return list<string> those of its members that are texts; a text alone is a list of one */
    public function texts(): array
    {
        $texts = array_map(fn (self $one): ?string => $one->text(), is_array($this->value) ? $this->list() : [$this]);

        return array_values(array_filter($texts, is_string(...)));
    }

    /**
     * Text, number or switch as it was told, or a list of texts; null for anything else.
     *
     * @return string|float|int|bool|list<string>|null
     */
    public function plain(): string|float|int|bool|array|null
    {
        if (is_bool($this->value) || is_int($this->value) || (is_float($this->value) && is_finite($this->value))) {
            return $this->value;
        }

        return is_array($this->value) ? (array_is_list($this->value) ? $this->texts() : null) : $this->text();
    }

    /** @return array<mixed> as it was told */
    public function raw(): array
    {
        return is_array($this->value) ? $this->value : [];
    }
}
