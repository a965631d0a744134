<?php

namespace Chorometra\Core\Tests\Segment;

/** The pieces that merging begins with as they are defined (docs/segments.md), with lists of pixels and sorting only. */
final readonly class SlowPieces
{
    /** @param  list<list<float>>  $bands */
    public function __construct(
        private array $bands,
        private int $width,
        private int $height,
        private float $compact,
        private float $smooth,
        private float $quantum,
        private float $limit,
    ) {}

    /** @return list<int> for each pixel the first of its piece, -1 for none */
    public function firsts(int $side, int $around): array
    {
        $firsts = array_fill(0, $this->width * $this->height, -1);
        $take = function (array $pixels) use (&$firsts): void {
            foreach ($pixels as $pixel) {
                $firsts[$pixel] = min($pixels);
            }
        };
        $across = [[], []];
        for ($top = 0; $top < $this->height; $top += $side) {
            for ($left = 0; $left < $this->width; $left += $side) {
                [$inside, $larger, $small] = $this->tile($left, $top, $side, $around);
                array_map($take, array_values($inside));
                $across = [[...$across[0], ...$larger], [...$across[1], ...$small]];
            }
        }
        foreach (array_merge(...$across) as $pixels) {
            if (array_filter($pixels, fn (int $pixel): bool => $firsts[$pixel] >= 0) === []) {
                $take($pixels);
            }
        }
        foreach ($this->bands[0] as $pixel => $value) {
            if ($firsts[$pixel] < 0 && ! is_nan($value)) {
                $firsts[$pixel] = $pixel;
            }
        }

        return $firsts;
    }

    /** @return array{array<list<int>>, list<list<int>>, list<list<int>>} pixels of the pieces inside a tile, of those across its edge, and of small ones */
    private function tile(int $left, int $top, int $side, int $around): array
    {
        [$from, $to] = [max(0, $left - $around), min($this->width, $left + $side + $around)];
        [$first, $last] = [max(0, $top - $around), min($this->height, $top + $side + $around)];
        $seen = [];
        for ($row = $first; $row < $last; $row++) {
            for ($col = $from; $col < $to; $col++) {
                if (! is_nan($this->bands[0][$row * $this->width + $col])) {
                    $seen[] = $row * $this->width + $col;
                }
            }
        }
        $isInside = fn (int $pixel): bool => $pixel % $this->width >= $left && $pixel % $this->width < $left + $side
            && intdiv($pixel, $this->width) >= $top && intdiv($pixel, $this->width) < $top + $side;
        // where the window ends but the image goes on
        $isLast = fn (int $pixel): bool => ($pixel % $this->width === $from && $from > 0) || ($pixel % $this->width === $to - 1 && $to < $this->width)
            || (intdiv($pixel, $this->width) === $first && $first > 0) || (intdiv($pixel, $this->width) === $last - 1 && $last < $this->height);
        $small = $this->small($seen);
        $told = [[], [], []];
        $larger = $this->larger($small);
        $regions = $this->climbed($small, $larger, $seen);
        foreach ($larger as $members) {
            $all = array_merge(...array_map(fn (int $k): array => $small[$k], $members));
            $region = $regions[$all[0]];
            if (array_filter($region, $isInside) === $region) {
                $told[0]['region '.min($region)] = $region;

                continue;
            }
            if (array_filter($all, $isInside) === $all) {
                $told[0][] = $all;

                continue;
            }
            if ($isInside(min($all)) && array_filter($all, $isLast) === []) {
                $told[1][] = $all;
            }
            foreach ($members as $k) {
                if ($isInside($k) && array_filter($small[$k], $isLast) === []) {
                    $told[2][] = $small[$k];
                }
            }
        }
        // in the order of the image
        foreach ([1, 2] as $k) {
            usort($told[$k], fn (array $a, array $b): int => min($a) <=> min($b));
        }

        return $told;
    }

    /**
     * @param  list<int>  $seen
     * @return array<int, list<int>> by first pixel
     */
    private function small(array $seen): array
    {
        $is = array_flip($seen);
        $sides = [];
        foreach ($seen as $pixel) {
            foreach ([[$pixel % $this->width + 1 < $this->width ? $pixel + 1 : -1, 73856093], [$pixel + $this->width, 19349663]] as $k => [$other, $factor]) {
                if (isset($is[$other])) {
                    $differ = array_sum(array_map(fn (array $values): float => abs($values[$pixel] - $values[$other]), $this->bands));
                    if ($differ < $this->limit) {
                        $sides[] = [[$this->step($differ) * 64 + ($pixel * $factor >> 7 & 63), $pixel, $k], $pixel, $other, $differ];
                    }
                }
            }
        }
        usort($sides, fn (array $a, array $b): int => $a[0] <=> $b[0]);
        $pieces = array_map(fn (int $pixel): array => [$pixel], array_combine($seen, $seen));
        $of = array_combine($seen, $seen);
        foreach ($sides as [, $one, $other, $differ]) {
            [$a, $b] = [min($of[$one], $of[$other]), max($of[$one], $of[$other])];
            [$n, $m] = [count($pieces[$a]), count($pieces[$b] ?? [])];
            if ($a !== $b && $n + $m <= 16 && 2.0 * $differ * $n * $m < $this->limit * ($n + $m)) {
                foreach ($pieces[$b] as $pixel) {
                    $of[$pixel] = $a;
                }
                $pieces[$a] = [...$pieces[$a], ...$pieces[$b]];
                unset($pieces[$b]);
            }
        }
        ksort($pieces);

        return $pieces;
    }

    /**
     * @param  array<int, list<int>>  $small
     * @return array<int, list<int>> the small ones that each is made of, by first pixel
     */
    private function larger(array $small): array
    {
        $merging = new SlowMerging($this->bands, $this->width, $this->height, $this->compact, $this->smooth, $this->quantum);
        $of = [];
        foreach ($small as $first => $pixels) {
            foreach ($pixels as $pixel) {
                $of[$pixel] = $first;
            }
        }
        $pairs = [];
        foreach ($of as $pixel => $first) {
            foreach ([$pixel % $this->width + 1 < $this->width ? $pixel + 1 : -1, $pixel + $this->width] as $beside) {
                if (isset($of[$beside]) && $of[$beside] !== $first) {
                    [$a, $b] = [min($first, $of[$beside]), max($first, $of[$beside])];
                    $pairs["$a $b"] = [$a, $b];
                }
            }
        }
        $turns = [];
        foreach ($pairs as [$a, $b]) {
            $cost = $merging->cost($small[$a], $small[$b]);
            if ($cost < $this->limit) {
                $turns[] = [[$this->step(max(0.0, $cost)) * 64 + (($a * 73856093 ^ $b * 19349663) >> 5 & 63), $a, $b], $a, $b, $cost];
            }
        }
        usort($turns, fn (array $a, array $b): int => $a[0] <=> $b[0]);
        $pieces = array_map(fn (int $first): array => [$first], array_combine(array_keys($small), array_keys($small)));
        $size = array_map(count(...), $small);
        $now = $size;
        $in = array_combine(array_keys($small), array_keys($small));
        foreach ($turns as [, $one, $other, $cost]) {
            [$a, $b] = [min($in[$one], $in[$other]), max($in[$one], $in[$other])];
            $grown = 1.0 * $now[$a] * $now[$b] * ($size[$one] + $size[$other]) / (1.0 * ($now[$a] + $now[$b]) * $size[$one] * $size[$other]);
            if ($a !== $b && $now[$a] + $now[$b] <= 32 && $cost * $grown < $this->limit) {
                foreach ($pieces[$b] as $first) {
                    $in[$first] = $a;
                }
                $pieces[$a] = [...$pieces[$a], ...$pieces[$b]];
                $now[$a] += $now[$b];
                unset($pieces[$b]);
            }
        }

        return $pieces;
    }

    /**
     * What larger pieces join to below the first limit, as far as the window goes.
     *
     * @param  array<int, list<int>>  $small
     * @param  array<int, list<int>>  $larger
     * @param  list<int>  $seen
     * @return array<int, list<int>> pixels of the region of each pixel
     */
    private function climbed(array $small, array $larger, array $seen): array
    {
        $firsts = [];
        foreach ($larger as $first => $members) {
            foreach ($members as $k) {
                foreach ($small[$k] as $pixel) {
                    $firsts[$pixel] = $first;
                }
            }
        }
        $is = array_flip($seen);
        $bands = array_map(fn (array $values): array => array_map(
            fn (float $value, int $i): float => isset($is[$i]) ? $value : NAN,
            $values,
            array_keys($values),
        ), $this->bands);
        $merging = new SlowMerging($bands, $this->width, $this->height, $this->compact, $this->smooth, $this->quantum, $firsts);
        $merging->climb(sqrt($this->limit));
        $pixels = [];
        foreach ($merging->labels() as $pixel => $label) {
            if ($label > 0) {
                $pixels[$label][] = $pixel;
            }
        }
        $of = [];
        foreach ($pixels as $some) {
            foreach ($some as $pixel) {
                $of[$pixel] = $some;
            }
        }

        return $of;
    }

    private function step(float $cost): int
    {
        return (int) ($cost * ((256 - 0.001) / $this->limit));
    }
}
