<?php

namespace Chorometra\Core\Classify\Keys;

/** What is tidied after the couplets. */
final readonly class Rule
{
    /**
     * @param  list<int>  $of  codes whose patches are meant; all where it is empty
     * @param  float  $below  patches are small below it; INF for any
     * @param  int|null  $with  code that fills
     */
    public function __construct(
        public string $what,
        public bool $isOff,
        public array $of,
        public float $below,
        public bool $isInHectares,
        public bool $intoNeighbour,
        public ?int $with,
        public float $share,
        private string $words,
    ) {}

    public function words(): string
    {
        return $this->words;
    }
}
