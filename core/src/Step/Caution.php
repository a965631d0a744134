<?php

namespace Chorometra\Core\Step;

/** Why a step comes too early or too late, and what its input tells of that. All that is asked must hold. */
final readonly class Caution
{
    /**
     * @param  list<string>  $after  kinds, one of which made what the input holds
     * @param  list<string>  $without  kinds, none of which did
     */
    private function __construct(
        public string $text,
        public array $after = [],
        public array $without = [],
        public bool $moved = false,
        public bool $counts = false,
    ) {}

    public static function after(string $kind, string $text): self
    {
        return new self($text, after: [$kind]);
    }

    /** None of some kinds came before. */
    public static function without(string $text, string ...$kinds): self
    {
        return new self($text, without: array_values($kinds));
    }

    /** The input is in counts. */
    public static function counts(string $text): self
    {
        return new self($text, counts: true);
    }

    /** The input was resampled. */
    public static function moved(string $text): self
    {
        return new self($text, moved: true);
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['text' => $this->text, 'after' => $this->after, 'without' => $this->without, 'moved' => $this->moved, 'counts' => $this->counts];
    }
}
