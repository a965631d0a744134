<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Problem;

/** A question with two answers: whether a measure lies within limits, or what examples tell. */
final readonly class Couplet
{
    /**
     * @param  string|null  $measure  null where examples answer
     * @param  float|null  $least  yes from here on
     * @param  float|null  $below  no from here on
     * @param  array<string, mixed>  $told  as it stands in the key
     */
    private function __construct(
        public string $id,
        public string $question,
        public ?string $measure,
        public ?float $least,
        public ?float $below,
        public Answer $yes,
        public Answer $no,
        public array $told,
    ) {}

    /**
     * @param  array<string, mixed>  $told
     *
     * @throws Problem where it has no limit, or limits out of order
     */
    public static function of(array $told): self
    {
        $number = fn (string $name): ?float => isset($told[$name]) ? (float) $told[$name] : null;
        $couplet = new self(
            $told['id'],
            ($told['question'] ?? '') === '' ? $told['id'] : $told['question'],
            $told['measure'] ?? null,
            $number('least'),
            $number('below'),
            Answer::of($told['yes']),
            Answer::of($told['no']),
            $told,
        );
        if ($couplet->measure !== null && $couplet->least === null && $couplet->below === null) {
            throw $couplet->problem('it has no limit: give “least”, “below” or both.');
        }
        if ($couplet->least !== null && $couplet->below !== null && $couplet->least >= $couplet->below) {
            throw $couplet->problem("its limits are out of order: no value is from $couplet->least to below $couplet->below.");
        }

        return $couplet;
    }

    /** @return list<string> what it asks for, by a limit or by examples */
    public function measures(): array
    {
        return $this->measure !== null ? [$this->measure] : $this->told['examples']['measures'];
    }

    public function problem(string $sentence): Problem
    {
        return Problem::input("At the question “{$this->question}” of the key: $sentence", "key/couplets/$this->id");
    }

    /** Something that went wrong while it was asked, told as its own. */
    public function met(Problem $problem): Problem
    {
        return str_starts_with((string) $problem->about, 'key/') ? $problem : $this->problem(lcfirst($problem->getMessage()));
    }

    /**
     * @param  list<float>  $values
     * @return list<int> 1 for yes, 0 for no, −1 where there is no value
     */
    public function answers(array $values): array
    {
        return self::within($values, count($values), $this->least ?? -INF, $this->below ?? INF);
    }

    /**
     * @param  list<float>  $values
     * @return list<int>
     */
    public static function within(array $values, int $count, float $least, float $below): array
    {
        $answers = array_fill(0, $count, -1);
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value - $value === 0.0) {
                $answers[$i] = $value >= $least && $value < $below ? 1 : 0;
            }
        }

        return $answers;
    }
}
