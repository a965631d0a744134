<?php

namespace Chorometra\Core\Regions\Runs;

use Chorometra\Core\Geo\SideLength;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Memory;

/**
 * Parts smaller than a minimum take the code of the neighbour with the longest shared edge: the smallest first, then by number; of equal
 * edges the larger neighbour, then the lower number. They become one part with that neighbour and all of its code that they touch, which has
 * the least of their numbers. What borders on nothing stays. Edges are as long as SideLength has them.
 *
 * Numbers of parts and edges lie in plain memory outside PHP's arrays, 4 bytes each.
 */
final class Absorb
{
    private const CHUNK = 20;

    /** How many parts were joined to others. */
    public int $joined = 0;

    private readonly \FFI $c;

    private \FFI\CData $size;

    private \FFI\CData $code;

    private \FFI\CData $into;

    private \FFI\CData $first;

    private \FFI\CData $last;

    /** @var array<int, \FFI\CData> edges in chunks: the neighbour, the length (8 bytes), the next edge of the same part */
    private array $others = [];

    /** @var array<int, \FFI\CData> */
    private array $lengths = [];

    /** @var array<int, \FFI\CData> */
    private array $nexts = [];

    private int $edges = 1;

    /** @param  bool  $byCorners  whether parts of one code touch at corners too */
    public function __construct(
        private readonly RunBlocks $blocks,
        private readonly int $minimum,
        private readonly SideLength $side,
        private readonly bool $byCorners,
        private readonly Context $context,
    ) {
        Memory::reserve(
            72 * $blocks->count + (128 << 20),
            sprintf('Joining the small ones of %s segments', number_format($blocks->count)),
            'use a part of the image, or smooth it first',
        );
        $this->c = \FFI::cdef();
        $this->size = $this->plain($blocks->count + 1);
        $this->code = $this->plain($blocks->count + 1);
        $this->into = $this->plain($blocks->count + 1);
        $this->first = $this->plain($blocks->count + 1);
        $this->last = $this->plain($blocks->count + 1);
        $this->measure();
        $this->meet();
        $this->join();
        for ($part = 1; $part <= $blocks->count; $part++) {
            $this->code[$part] = $this->code[$this->root($part)];
        }
        // workers that ask for codes need no more
        unset($this->size, $this->into, $this->first, $this->last);
        $this->others = $this->lengths = $this->nexts = [];
    }

    /** The code that a part has come to. */
    public function code(int $part): int
    {
        return $this->code[$part];
    }

    private function plain(int $count, string $type = 'int32_t'): \FFI\CData
    {
        return $this->c->new("{$type}[$count]") ?? throw new \LogicException('No memory.');
    }

    private function measure(): void
    {
        for ($block = 0; $block < $this->blocks->blocks(); $block++) {
            [$map, $parts] = $this->blocks->block($block);
            $this->context->report(0.3 * $block / $this->blocks->blocks(), 'measuring segments');
            $start = 0;
            foreach ($parts as $run => $part) {
                $end = $map->ends[$run];
                $this->size[$part] += $end - $start;
                $this->code[$part] = $map->codes[$run];
                $start = $end === $map->width ? 0 : $end;
            }
        }
        for ($part = 0; $part <= $this->blocks->count; $part++) {
            $this->into[$part] = $part;
        }
        // nodata is no neighbour, and never small
        $this->size[0] = 0x7FFFFFFF;
    }

    /** Edges that small parts share with others. */
    private function meet(): void
    {
        $endsAbove = $partsAbove = [];
        for ($block = 0; $block < $this->blocks->blocks(); $block++) {
            [$map, $parts] = $this->blocks->block($block);
            $this->context->report(0.3 + 0.4 * $block / $this->blocks->blocks(), 'measuring shared edges');
            $pairs = [];
            for ($row = 0, $rows = $map->rows(); $row < $rows; $row++) {
                [$first, $last] = [$map->rowStart[$row], $map->rowStart[$row + 1]];
                $ends = array_slice($map->ends, $first, $last - $first);
                $own = array_slice($parts, $first, $last - $first);
                self::pairs($pairs, $endsAbove, $partsAbove, $ends, $own, $this->side, $this->byCorners);
                [$endsAbove, $partsAbove] = [$ends, $own];
            }
            foreach ($pairs as $pair => $length) {
                [$one, $other] = [$pair >> 32, $pair & 0xFFFFFFFF];
                if ($this->size[$one] < $this->minimum) {
                    $this->edge($one, $other, $length);
                }
                if ($this->size[$other] < $this->minimum) {
                    $this->edge($other, $one, $length);
                }
            }
        }
    }

    /**
     * Lengths of the edges between the runs of a row, and to those of the row above; 0 for those that touch at corners only.
     *
     * @param  array<int, int>  $pairs  by both parts, grows
     * @param  list<int>  $endsAbove
     * @param  list<int>  $partsAbove
     * @param  list<int>  $ends
     * @param  list<int>  $parts
     */
    public static function pairs(
        array &$pairs,
        array $endsAbove,
        array $partsAbove,
        array $ends,
        array $parts,
        SideLength $side,
        bool $byCorners,
    ): void {
        $count = count($ends);
        for ($run = 1; $run < $count; $run++) {
            $a = $parts[$run - 1];
            $b = $parts[$run];
            if ($a !== 0 && $b !== 0) {
                $pair = $a < $b ? $a << 32 | $b : $b << 32 | $a;
                $pairs[$pair] = ($pairs[$pair] ?? 0) + $side->column;
            }
        }
        if ($endsAbove === []) {
            return;
        }
        $start = $above = 0;
        for ($run = 0; $run < $count;) {
            $endAbove = $endsAbove[$above];
            $endHere = $ends[$run];
            $end = $endAbove < $endHere ? $endAbove : $endHere;
            $a = $partsAbove[$above];
            $b = $parts[$run];
            if ($a !== $b && $a !== 0 && $b !== 0) {
                $pair = $a < $b ? $a << 32 | $b : $b << 32 | $a;
                $pairs[$pair] = ($pairs[$pair] ?? 0) + ($end - $start) * $side->row;
            }
            if ($byCorners && $endAbove === $endHere && $run + 1 < $count) {
                foreach ([[$a, $parts[$run + 1]], [$partsAbove[$above + 1], $b]] as [$one, $other]) {
                    if ($one !== $other && $one !== 0 && $other !== 0) {
                        $pairs[$one < $other ? $one << 32 | $other : $other << 32 | $one] ??= 0;
                    }
                }
            }
            $start = $end;
            if ($endAbove === $end) {
                $above++;
            }
            if ($endHere === $end) {
                $run++;
            }
        }
    }

    /**
     * The same with columns and rows apart, and what lies against nothing.
     *
     * @param  array<int, int>  $pairs  sides between columns by both parts, and those between rows times 2³²; grows
     * @param  array<int, int>  $outer  the same against nothing, by part; grows
     * @param  list<int>  $endsAbove
     * @param  list<int>  $partsAbove
     * @param  list<int>  $ends
     * @param  list<int>  $parts
     */
    public static function sides(array &$pairs, array &$outer, array $endsAbove, array $partsAbove, array $ends, array $parts): void
    {
        $count = count($ends);
        for ($run = 0; $run <= $count; $run++) {
            self::side($pairs, $outer, $run === 0 ? 0 : $parts[$run - 1], $run === $count ? 0 : $parts[$run], 1);
        }
        if ($endsAbove === []) {
            $endsAbove = [$ends[$count - 1]];
            $partsAbove = [0];
        }
        for ($run = $above = $start = 0; $run < $count; $start = $end) {
            [$endAbove, $endHere] = [$endsAbove[$above], $ends[$run]];
            $end = min($endAbove, $endHere);
            self::side($pairs, $outer, $partsAbove[$above], $parts[$run], $end - $start << 32);
            $above += $endAbove === $end ? 1 : 0;
            $run += $endHere === $end ? 1 : 0;
        }
    }

    /**
     * @param  array<int, int>  $pairs
     * @param  array<int, int>  $outer
     */
    private static function side(array &$pairs, array &$outer, int $a, int $b, int $sides): void
    {
        if ($a === $b) {
            return;
        }
        if ($a === 0 || $b === 0) {
            $outer[$a + $b] = ($outer[$a + $b] ?? 0) + $sides;

            return;
        }
        $pair = $a < $b ? $a << 32 | $b : $b << 32 | $a;
        $pairs[$pair] = ($pairs[$pair] ?? 0) + $sides;
    }

    private function edge(int $part, int $other, int $length): void
    {
        $edge = $this->edges++;
        if ($edge >> self::CHUNK === count($this->others)) {
            Memory::reserve(16 << self::CHUNK, 'Joining small segments', 'use a part of the image, or smooth it first');
            $this->others[] = $this->plain(1 << self::CHUNK);
            $this->lengths[] = $this->plain(1 << self::CHUNK, 'int64_t');
            $this->nexts[] = $this->plain(1 << self::CHUNK);
        }
        $this->put($edge, $other, $length);
        if ($this->first[$part] === 0) {
            $this->first[$part] = $edge;
        } else {
            $this->follow($this->last[$part], $edge);
        }
        $this->last[$part] = $edge;
    }

    private function put(int $edge, int $other, int $length): void
    {
        [$chunk, $at] = [$edge >> self::CHUNK, $edge & (1 << self::CHUNK) - 1];
        $this->others[$chunk][$at] = $other;
        $this->lengths[$chunk][$at] = $length;
    }

    private function follow(int $edge, int $next): void
    {
        $this->nexts[$edge >> self::CHUNK][$edge & (1 << self::CHUNK) - 1] = $next;
    }

    private function root(int $part): int
    {
        while (($next = $this->into[$part]) !== $part) {
            $this->into[$part] = $this->into[$next];
            $part = $this->into[$part];
        }

        return $part;
    }

    private function join(): void
    {
        // the size in the upper half of a number, the part in the lower: the smallest comes first, then by number
        $queue = new \SplMinHeap;
        for ($part = 1; $part <= $this->blocks->count; $part++) {
            if ($this->size[$part] < $this->minimum) {
                $queue->insert($this->size[$part] << 32 | $part);
            }
        }
        $total = max(1, count($queue));
        while (! $queue->isEmpty()) {
            $told = $queue->extract();
            [$size, $part] = [$told >> 32, $told & 0xFFFFFFFF];
            if (($this->joined & 16383) === 0) {
                $this->context->report(0.7 + 0.3 * $this->joined / $total, 'joining small segments');
            }
            if ($this->into[$part] !== $part || $this->size[$part] !== $size) {
                continue;
            }
            [$best, $shared, $edges] = $this->best($part);
            if ($best === 0) {
                continue;
            }
            $this->joined++;
            $code = $this->code[$best];
            $members = [$part, ...array_filter(array_keys($shared), fn (int $other): bool => $this->code[$other] === $code)];
            $whole = $this->one($members, $code);
            if ($this->size[$whole] < $this->minimum) {
                // what it borders on, each once, then what the others do: all of them are small
                $outside = array_diff_key($shared, array_flip($members));
                $before = 0;
                foreach (array_keys($outside) as $k => $other) {
                    $this->put($edges[$k], $other, $outside[$other]);
                    $before === 0 ? $this->first[$part] = $edges[$k] : $this->follow($before, $edges[$k]);
                    $before = $edges[$k];
                }
                $before === 0 ? $this->first[$part] = 0 : $this->follow($before, 0);
                $this->last[$part] = $before;
                $this->string($members, $whole);
                $queue->insert($this->size[$whole] << 32 | $whole);
            }
        }
    }

    /**
     * @param  non-empty-list<int>  $members
     * @return int the least of them, which stands for all
     */
    private function one(array $members, int $code): int
    {
        $whole = min($members);
        $size = 0;
        foreach ($members as $member) {
            $size += $this->size[$member];
            $this->into[$member] = $whole;
        }
        $this->size[$whole] = min($size, 0x7FFFFFFF);
        $this->code[$whole] = $code;

        return $whole;
    }

    /**
     * The edges of all members one after the other.
     *
     * @param  list<int>  $members
     */
    private function string(array $members, int $whole): void
    {
        $first = $last = 0;
        foreach ($members as $member) {
            if ($this->first[$member] !== 0) {
                $first === 0 ? $first = $this->first[$member] : $this->follow($last, $this->first[$member]);
                $last = $this->last[$member];
            }
        }
        $this->first[$whole] = $first;
        $this->last[$whole] = $last;
    }

    /** @return array{int, array<int, int>, list<int>} the neighbour that takes a part, 0 for none; shared lengths by neighbour; the part's edges */
    private function best(int $part): array
    {
        $shared = $edges = [];
        for ($edge = $this->first[$part]; $edge !== 0; $edge = $this->nexts[$edge >> self::CHUNK][$edge & (1 << self::CHUNK) - 1]) {
            $edges[] = $edge;
            $root = $this->root($this->others[$edge >> self::CHUNK][$edge & (1 << self::CHUNK) - 1]);
            if ($root !== $part) {
                $shared[$root] = ($shared[$root] ?? 0) + $this->lengths[$edge >> self::CHUNK][$edge & (1 << self::CHUNK) - 1];
            }
        }
        $best = 0;
        foreach ($shared as $other => $length) {
            if ($length === 0) {
                continue;
            }
            if (
                $best === 0 ||
                $length > $shared[$best] ||
                ($length === $shared[$best] && ($this->size[$other] > $this->size[$best] || ($this->size[$other] === $this->size[$best] && $other < $best)))
            ) {
                $best = $other;
            }
        }

        return [$best, $shared, $edges];
    }
}
