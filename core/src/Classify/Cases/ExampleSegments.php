<?php

namespace Chorometra\Core\Classify\Cases;

/** Which segments examples stand for: those that a point lies in, and those of which half or more lies in polygons with one answer. */
final class ExampleSegments
{
    /** @var array<int, array<int, int|float>> pixels by segment and answer; no end of them where there is a point */
    private array $inside = [];

    /** A pixel of an example. */
    public function add(int $segment, int $answer, bool $isPoint): void
    {
        $this->inside[$segment][$answer] = ($this->inside[$segment][$answer] ?? 0) + ($isPoint ? INF : 1);
    }

    /** @return list<int> numbers of segments that examples touch, rising */
    public function touched(): array
    {
        $numbers = array_keys($this->inside);
        sort($numbers);

        return $numbers;
    }

    /**
     * @param  float  $pixels  of the segment
     * @return list<int> answers that it is an example of: several where examples contradict each other
     */
    public function answers(int $segment, float $pixels): array
    {
        return array_keys(array_filter($this->inside[$segment] ?? [], fn (int|float $count): bool => 2 * $count >= $pixels));
    }
}
