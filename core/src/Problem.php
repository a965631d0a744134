<?php

namespace Chorometra\Core;

/**
 * Something a person can be told in one sentence: what, where, what to do.
 * The exit status is that of the command line: 1 computation, 2 call, 3 input.
 */
class Problem extends \RuntimeException
{
    /** @param  array{line: int, character: int}|null  $at  where in a text that is wrong, both from 1 */
    final public function __construct(
        string $message,
        public readonly int $status = 1,
        public readonly ?string $about = null,
        public readonly ?array $at = null,
    ) {
        parent::__construct($message);
    }

    public static function computation(string $sentence): static
    {
        return new static($sentence, 1);
    }

    /** The call is wrong: a kind, input or setting is unknown, missing or out of range. */
    public static function call(string $sentence, ?string $about = null): static
    {
        return new static($sentence, 2, $about);
    }

    /** An input file can't be read or does not fit. */
    public static function input(string $sentence, ?string $about = null): static
    {
        return new static($sentence, 3, $about);
    }
}
