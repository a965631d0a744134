<?php

namespace Chorometra\Core\Regions\Numbers;

/** Which of some numbers belong together (union-find: Tarjan 1975, Journal of the ACM 22:215–225). */
final class Together
{
    /** @var list<int> a lesser one that each belongs to, itself where it is the least */
    private array $into;

    public function __construct(int $most)
    {
        $this->into = range(0, $most);
    }

    public function join(int $one, int $other): void
    {
        [$one, $other] = [$this->least($one), $this->least($other)];
        if ($one !== $other) {
            $this->into[max($one, $other)] = min($one, $other);
        }
    }

    /** @return list<int> new numbers by old, from 1 in the order of the least; 0 stays */
    public function numbers(): array
    {
        $numbers = [0];
        $last = 0;
        for ($i = 1, $count = count($this->into); $i < $count; $i++) {
            $least = $this->least($i);
            $numbers[] = $least === $i ? ++$last : $numbers[$least];
        }

        return $numbers;
    }

    private function least(int $one): int
    {
        while ($this->into[$one] !== $one) {
            $this->into[$one] = $this->into[$this->into[$one]];
            $one = $this->into[$one];
        }

        return $one;
    }
}
