<?php

namespace Chorometra\Core\Segment\Merging;

/** Regions of an image and the edges between them, which join as their costs allow. What joined, and at what cost, is kept in order. */
final class RegionGraph
{
    /** @var array<string, mixed> as MergeKernel works on it */
    private array $state;

    /** Instead of a first link, where a region is part of another. */
    private const GONE = -2;

    /** Joins that were told as rungs already. */
    private int $told = 0;

    /** @var list<array{limit: float, joins: int}> */
    private array $rungs = [];

    private readonly \Closure $costs;

    private readonly \Closure $passes;

    /**
     * @param  list<float>  $records
     * @param  list<int>  $ids  numbers of the first pixels of regions
     * @param  list<int>  $ends  places of records, two for each edge
     * @param  list<int>  $lengths  sides of pixels, by edge
     * @param  int  $bands  of a record
     * @param  float  $compact  weight of compactness in the cost, $smooth that of smoothness
     * @param  float  $quantum  what costs differ by at least
     */
    public function __construct(
        array $records,
        array $ids,
        array $ends,
        array $lengths,
        private readonly int $bands,
        float $compact,
        float $smooth,
        float $quantum,
    ) {
        $this->costs = MergeKernel::costs($bands, $compact, $smooth, $quantum);
        $this->passes = MergeKernel::passes($bands, $compact, $smooth, $quantum);
        $number = count($ids);
        [$head, $next, $degree] = self::lists($ends, count($ends), $number);
        $this->state = [
            'r' => $records,
            'id' => $ids,
            'ends' => $ends,
            'next' => $next,
            'head' => $head,
            'degree' => $degree,
            'len' => $lengths,
            'cost' => array_fill(0, count($lengths), 0.0),
            'best' => array_fill(0, $number, -1),
            'seen' => array_fill(0, $number, 0),
            'round' => 0,
            'dirty' => [],
            'first' => [],
            'second' => [],
            'paid' => [],
        ];
    }

    /**
     * Regions that are left, in no order: their records.
     *
     * @return \Generator<int, list<float>> by number
     */
    public function regions(): \Generator
    {
        $stride = MergeKernel::stride($this->bands);
        foreach ($this->living() as $place) {
            yield $this->state['id'][$place] => array_values(array_slice($this->state['r'], $place * $stride, $stride));
        }
    }

    /** Joins whatever costs less than the square of a limit, pass by pass. */
    public function climb(float $limit): void
    {
        if ($this->rungs === []) {
            $living = array_keys(array_filter($this->state['len'], fn (int $length): bool => $length >= 0));
            ($this->costs)($this->state, $living);
        }
        // below another limit more may have chosen each other
        $this->state['dirty'] = $this->living();
        ($this->passes)($this->state, $limit * $limit, false);
        $joins = count($this->state['paid']);
        $this->rungs[] = ['limit' => $limit, 'joins' => $joins - $this->told];
        $this->told = $joins;
    }

    /**
     * Regions that touch, each pair once.
     *
     * @return \Generator<int, array{int, int}> their numbers
     */
    public function neighbours(): \Generator
    {
        ['ends' => $ends, 'id' => $id] = $this->state;
        foreach ($this->state['len'] as $edge => $length) {
            if ($length >= 0) {
                yield [$id[$ends[2 * $edge]], $id[$ends[2 * $edge + 1]]];
            }
        }
    }

    /** @return list<array{limit: float, joins: int}> the limits that were climbed to, and how many joined on the way */
    public function rungs(): array
    {
        return $this->rungs;
    }

    /** @return array{list<int>, list<int>, list<float>} numbers of both that joined, the lesser first and kept, and what it cost */
    public function joins(): array
    {
        return [$this->state['first'], $this->state['second'], $this->state['paid']];
    }

    /** Regions that are left. */
    public function count(): int
    {
        return count($this->state['id']) - count($this->state['paid']);
    }

    /** Share of the cost of all regions that is form. */
    public function formShare(float $compact, float $smooth): float
    {
        $stride = MergeKernel::stride($this->bands);
        $all = $form = 0.0;
        foreach ($this->living() as $place) {
            $i = $place * $stride;
            [$n, $l] = [$this->state['r'][$i], $this->state['r'][$i + MergeKernel::PERIMETER]];
            $box = 2.0 * ($this->state['r'][$i + MergeKernel::LAST_COLUMN] - $this->state['r'][$i + MergeKernel::FIRST_COLUMN]
                + $this->state['r'][$i + MergeKernel::LAST_ROW] - $this->state['r'][$i + MergeKernel::FIRST_ROW] + 2.0);
            $own = $compact * $l * sqrt($n) + $smooth * $n * $l / $box;
            $form += $own;
            $all += $this->state['r'][$i + MergeKernel::OWN];
        }

        return $all > 0.0 ? max(0.0, min(1.0, $form / $all)) : 0.0;
    }

    /**
     * Regions of fewer pixels than some join the neighbour that costs least, round by round: the smallest first, of those alike the first in the image,
     * each region once in a round.
     *
     * @return int how many did
     */
    public function absorb(int $minimum): int
    {
        $stride = MergeKernel::stride($this->bands);
        $before = count($this->state['paid']);
        do {
            $last = count($this->state['paid']);
            ['r' => $r, 'id' => $id] = $this->state;
            $small = array_values(array_filter($this->living(), fn (int $place): bool => $r[$place * $stride] < $minimum));
            usort($small, fn (int $one, int $other): int => [$r[$one * $stride], $id[$one]] <=> [$r[$other * $stride], $id[$other]]);
            unset($r, $id);
            $this->state['dirty'] = $small;
            ($this->passes)($this->state, INF, true);
        } while (count($this->state['paid']) > $last);
        $this->told = count($this->state['paid']);

        return $this->told - $before;
    }

    /** @return list<int> places of regions that are left */
    private function living(): array
    {
        return array_keys(array_filter($this->state['head'], fn (int $head): bool => $head > self::GONE));
    }

    /**
     * Lists of the edges of each region.
     *
     * @param  list<int>  $ends
     * @return array{list<int>, list<int>, list<int>} the first link of each, the link after each link, and their number
     */
    private static function lists(array $ends, int $count, int $number): array
    {
        $head = array_fill(0, $number, -1);
        $next = array_fill(0, $count, -1);
        $degree = array_fill(0, $number, 0);
        for ($k = $count - 1; $k >= 0; $k--) {
            $place = $ends[$k];
            $next[$k] = $head[$place];
            $head[$place] = $k;
            $degree[$place]++;
        }

        return [$head, $next, $degree];
    }
}
