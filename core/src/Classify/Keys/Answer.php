<?php

namespace Chorometra\Core\Classify\Keys;

/** Where an answer leads: to a class, to another couplet, or nowhere. */
final readonly class Answer
{
    private function __construct(public ?string $class, public ?string $couplet, public ?float $cut) {}

    public static function of(mixed $told): self
    {
        $told = (array) $told;

        return new self($told['class'] ?? null, $told['couplet'] ?? null, isset($told['cut']) ? (float) $told['cut'] : null);
    }

    /** In words. */
    public function words(?string $rest): string
    {
        return $this->class ?? $this->couplet ?? $rest ?? 'unlabelled';
    }
}
