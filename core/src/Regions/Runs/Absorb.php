<?php

namespace Chorometra\Core\Regions\Runs;

use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Memory;

/**
 * Parts smaller than a minimum take the code of the neighbour with the longest shared edge: the smallest first, then by number; of equal
 * edges the larger neighbour, then the lower number. What borders on nothing stays.
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

    /** @var array<int, \FFI\CData> edges in chunks: the neighbour, the length, the next edge of the same part */
    private array $others = [];

    /** @var array<int, \FFI\CData> */
    private array $lengths = [];

    /** @var array<int, \FFI\CData> */
    private array $nexts = [];

    private int $edges = 1;

    public function __construct(private readonly RunBlocks $blocks, private readonly int $minimum, private readonly Context $context)
    {
        Memory::reserve(
            72 * $blocks->count + (128 << 20),
            sprintf('Joining the small ones of %s segments', number_format($blocks->count)),
            'work on a part of the image, or smooth it before',
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

    private function plain(int $count): \FFI\CData
    {
        return $this->c->new("int32_t[$count]") ?? throw new \LogicException('No memory.');
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
                self::pairs($pairs, $endsAbove, $partsAbove, $ends, $own);
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
     * Lengths of the edges between the runs of a row, and to those of the row above.
     *
     * @param  array<int, int>  $pairs  by both parts, grows
     * @param  list<int>  $endsAbove
     * @param  list<int>  $partsAbove
     * @param  list<int>  $ends
     * @param  list<int>  $parts
     */
    public static function pairs(array &$pairs, array $endsAbove, array $partsAbove, array $ends, array $parts): void
    {
        $count = count($ends);
        for ($run = 1; $run < $count; $run++) {
            $a = $parts[$run - 1];
            $b = $parts[$run];
            if ($a !== 0 && $b !== 0) {
                $pair = $a < $b ? $a << 32 | $b : $b << 32 | $a;
                $pairs[$pair] = ($pairs[$pair] ?? 0) + 1;
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
                $pairs[$pair] = ($pairs[$pair] ?? 0) + $end - $start;
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
            Memory::reserve(12 << self::CHUNK, 'Joining small segments', 'work on a part of the image, or smooth it before');
            $this->others[] = $this->plain(1 << self::CHUNK);
            $this->lengths[] = $this->plain(1 << self::CHUNK);
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
            $this->into[$part] = $best;
            $this->size[$best] += $size;
            $this->joined++;
            // a small neighbour takes over whom it borders on now, each once
            if ($this->first[$best] !== 0) {
                $before = $this->last[$best];
                foreach (array_keys($shared) as $k => $other) {
                    $this->put($edges[$k], $other, $shared[$other]);
                    $this->follow($before, $edges[$k]);
                    $before = $edges[$k];
                }
                $this->follow($before, 0);
                $this->last[$best] = $before;
                if ($this->size[$best] < $this->minimum) {
                    $queue->insert($this->size[$best] << 32 | $best);
                }
            }
        }
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
