<?php

namespace Chorometra\Core\Tests\Segment;

/** Region merging as it is defined, from the pixels of each region every time: no sums, no lists, no caches. */
final class SlowMerging
{
    /** @var array<int, list<int>> pixels of each region, by its first */
    private array $regions = [];

    /**
     * @param  list<list<float>>  $bands
     * @param  array<int, int>|null  $firsts  for each pixel the first of its region at the beginning; itself where none are told
     */
    public function __construct(
        private readonly array $bands,
        private readonly int $width,
        private readonly int $height,
        private readonly float $compact,
        private readonly float $smooth,
        private readonly float $quantum,
        ?array $firsts = null,
    ) {
        foreach ($bands[0] as $i => $value) {
            if (! is_nan($value)) {
                $this->regions[$firsts[$i] ?? $i][] = $i;
            }
        }
    }

    public function climb(float $limit): void
    {
        do {
            $pairs = $this->pairs();
            $best = $this->best($pairs);
            $joined = false;
            foreach ($pairs as [$a, $b, $cost]) {
                if ($cost < $limit * $limit && $best[$a] === [$a, $b] && $best[$b] === [$a, $b]) {
                    $this->join($a, $b);
                    $joined = true;
                }
            }
        } while ($joined);
    }

    public function absorb(int $minimum): void
    {
        do {
            $small = array_keys(array_filter($this->regions, fn (array $pixels): bool => count($pixels) < $minimum));
            usort($small, fn (int $a, int $b): int => [count($this->regions[$a]), $a] <=> [count($this->regions[$b]), $b]);
            $best = $this->best($this->pairs());
            $taken = [];
            foreach ($small as $one) {
                [$a, $b] = $best[$one] ?? [null, null];
                if ($a !== null && ! isset($taken[$a]) && ! isset($taken[$b])) {
                    $taken[$a] = $taken[$b] = [$a, $b];
                }
            }
            foreach (array_unique($taken, SORT_REGULAR) as [$a, $b]) {
                $this->join($a, $b);
            }
        } while ($taken !== []);
    }

    /** The least that a join costs. */
    public function least(): float
    {
        return min([INF, ...array_column($this->pairs(), 2)]);
    }

    /** @return list<int> numbers in the order of the image, 0 for none */
    public function labels(): array
    {
        $labels = array_fill(0, $this->width * $this->height, 0);
        ksort($this->regions);
        foreach (array_values($this->regions) as $number => $pixels) {
            foreach ($pixels as $pixel) {
                $labels[$pixel] = $number + 1;
            }
        }

        return $labels;
    }

    /**
     * Neighbours, and what it costs to join them.
     *
     * @return list<array{int, int, float}>
     */
    private function pairs(): array
    {
        $of = [];
        foreach ($this->regions as $id => $pixels) {
            foreach ($pixels as $pixel) {
                $of[$pixel] = $id;
            }
        }
        $pairs = [];
        foreach ($of as $pixel => $id) {
            foreach ([$pixel % $this->width + 1 < $this->width ? $pixel + 1 : -1, $pixel + $this->width] as $beside) {
                $other = $of[$beside] ?? $id;
                if ($other !== $id) {
                    [$a, $b] = [min($id, $other), max($id, $other)];
                    $pairs["$a $b"] ??= [$a, $b, $this->cost($this->regions[$a], $this->regions[$b])];
                }
            }
        }

        return array_values($pairs);
    }

    /**
     * The pair that each region would rather have; of those alike by the numbers drawn.
     *
     * @param  list<array{int, int, float}>  $pairs
     * @return array<int, array{int, int}>
     */
    private function best(array $pairs): array
    {
        $best = [];
        foreach ($pairs as [$a, $b, $cost]) {
            $key = [$cost, ($a * 73856093 ^ $b * 19349663) & 1073741823, $a, $b];
            foreach ([$a, $b] as $id) {
                if (! isset($best[$id]) || $key < $best[$id]) {
                    $best[$id] = $key;
                }
            }
        }

        return array_map(fn (array $key): array => [$key[2], $key[3]], $best);
    }

    private function join(int $a, int $b): void
    {
        $this->regions[$a] = [...$this->regions[$a], ...$this->regions[$b]];
        unset($this->regions[$b]);
    }

    /**
     * @param  list<int>  $one
     * @param  list<int>  $other
     */
    public function cost(array $one, array $other): float
    {
        return $this->quantum * round(($this->worth([...$one, ...$other]) - $this->worth($one) - $this->worth($other)) / $this->quantum);
    }

    /** @param  list<int>  $pixels */
    private function worth(array $pixels): float
    {
        $n = count($pixels);
        $worth = 0.0;
        foreach ($this->bands as $values) {
            $mean = array_sum(array_map(fn (int $i): float => $values[$i], $pixels)) / $n;
            $worth += $n * sqrt(array_sum(array_map(fn (int $i): float => ($values[$i] - $mean) ** 2, $pixels)) / $n);
        }
        $in = array_flip($pixels);
        $sides = 0;
        foreach ($pixels as $i) {
            $sides += ($i % $this->width > 0 && isset($in[$i - 1]) ? 0 : 1) + (($i + 1) % $this->width > 0 && isset($in[$i + 1]) ? 0 : 1)
                + (isset($in[$i - $this->width]) ? 0 : 1) + (isset($in[$i + $this->width]) ? 0 : 1);
        }
        $columns = array_map(fn (int $i): int => $i % $this->width, $pixels);
        $rows = array_map(fn (int $i): int => intdiv($i, $this->width), $pixels);
        $box = 2 * (max($columns) - min($columns) + max($rows) - min($rows) + 2);

        return $worth + $this->compact * $sides * sqrt($n) + $this->smooth * $n * $sides / $box;
    }
}
