<?php

namespace Chorometra\Core\Classify\Models;

/** How a model is taught. */
final readonly class TrainingOptions
{
    /**
     * @param  list<string>  $priors  name:share of classes that are more or less likely than others, or “as-taught”
     * @param  float|null  $reject  in the measure of the method: a probability, deviations, degrees or a share of votes
     * @param  int  $most  cases of a class that neighbours and forests learn from
     * @param  bool|null  $standardise  null: where bands differ in unit
     */
    public function __construct(
        public Method $method,
        public array $priors = [],
        public ?float $reject = null,
        public int $neighbours = 5,
        public int $trees = 100,
        public ?int $depth = null,
        public int $most = 2500,
        public int $seed = 1,
        public ?bool $standardise = null,
    ) {}
}
