<?php

namespace Chorometra\Core\Deliver\Polygons;

/**
 * The borders of the regions of a map, gathered row by row: memory follows what is open at the row, not the map.
 *
 * A region is what is connected over the sides of pixels and has one code; 0 belongs to none. Borders are cut into arcs where three regions
 * or more meet (nodes), so each arc is shared by two regions and simplified once. When the last row of a region is passed, its arcs are
 * strung into rings with the region on their right; a ring that touches itself is cut there. A corner is row · (width + 1) + column.
 */
final class Borders
{
    /** Rows after which numbers of joined regions are given out again. */
    private const TIDY = 64;

    private readonly int $wide;

    private int $row = 0;

    /** @var list<int> codes of the row above, and a 0 at the end */
    private array $above;

    /** @var list<int> regions of the row above */
    private array $regions;

    /** @var list<int> the open end that comes down each column line; -1 for none */
    private array $down;

    /** @var array<int, int> by region: the region that it was joined to, or itself */
    private array $into = [0];

    /** @var array<int, int> */
    private array $pixels = [0];

    /** @var array<int, int> */
    private array $codes = [0];

    /** @var array<int, int> the last row in which it was met */
    private array $last = [-1];

    /** @var array<int, list<int>> ends from which its arcs start */
    private array $starts = [[]];

    /** @var array<int, list<array{int, bool}>> closed arcs, and whether they run the other way */
    private array $loops = [[]];

    /** @var array<int, list<array{float, int}>> sum and number of values by band */
    private array $sums = [[]];

    /** @var list<int> regions joined to others since they were tidied */
    private array $joined = [];

    /** @var list<int> numbers of regions to give out again */
    private array $freeRegions = [];

    /** @var array<int, list<int>> corners of a line that grows, from where it began */
    private array $lines = [];

    /** @var array<int, int> the other end of the same border */
    private array $mates = [];

    /** @var array<int, int> the end that this one was joined to */
    private array $glued = [];

    /** @var array<int, int> the region on the right of who walks out along the end */
    private array $rights = [];

    /** @var array<int, bool> ends that stand at a node */
    private array $atNode = [];

    /** @var array<int, int> at a node: the end from which who arrives at this one goes on */
    private array $next = [];

    /** @var list<int> numbers of lines to give out again */
    private array $freeLines = [];

    private int $lineCount = 0;

    /**
     * @var array<int, array{list<int>, list<int>|null, int}>
     *   arcs by their owning end: corners, those kept once somebody has asked, how many sides still need it
     */
    private array $arcs = [];

    /** @var array<int, int> the owning end by end */
    private array $owners = [];

    /** @var array<int, array{list<int>, list<int>|null, int}> closed arcs, as arcs */
    private array $closed = [];

    private int $closedCount = 0;

    /** @var list<int> */
    private array $freeClosed = [];

    /**
     * @param  Simplify|null  $simplify  leaves corners out of arcs
     * @param  array<int, true>|null  $wanted  codes whose regions are wanted; all when null
     * @param  int  $minimum  pixels; smaller regions come without rings
     */
    public function __construct(
        private readonly int $width,
        private readonly ?Simplify $simplify = null,
        private readonly ?array $wanted = null,
        private readonly int $minimum = 1,
    ) {
        $this->wide = $width + 1;
        $this->above = $this->regions = array_fill(0, $width + 1, 0);
        $this->down = array_fill(0, $width + 1, -1);
    }

    /**
     * Takes the next row.
     *
     * @param  list<int>  $codes  of its pixels
     * @param  list<list<float>>  $values  of its pixels, by band, to be averaged over the regions
     * @return list<Region> regions that ended above it
     */
    public function row(array $codes, array $values = []): array
    {
        $codes[] = 0;
        $above = $this->regions;
        $regions = $this->label($codes, $values);
        $this->corners($codes, $regions);
        $ended = $this->ended($above);
        $this->above = $codes;
        $this->regions = $regions;
        $this->row++;
        if ($this->row % self::TIDY === 0) {
            $this->tidy();
        }

        return $ended;
    }

    /** @return list<Region> regions that reach the last row */
    public function end(): array
    {
        $ended = $this->row(array_fill(0, $this->width, 0));
        $this->row--;

        return $ended;
    }

    /**
     * Regions of a row, joined with those above.
     *
     * @param  list<int>  $codes
     * @param  list<list<float>>  $values
     * @return list<int>
     */
    private function label(array $codes, array $values): array
    {
        $above = $this->above;
        $over = $this->regions;
        $regions = array_fill(0, $this->width + 1, 0);
        $before = 0;
        $region = 0;
        $start = 0;
        for ($x = 0; $x <= $this->width; $x++) {
            $code = $codes[$x];
            if ($code !== $before) {
                if ($before !== 0) {
                    $this->note($region, $start, $x, $values);
                }
                $start = $x;
                $region = 0;
            }
            if ($code !== 0) {
                if ($above[$x] === $code && ($region === 0 || $above[$x - 1] !== $code)) {
                    $region = $region === 0 ? $this->root($over[$x]) : $this->join($region, $over[$x]);
                } elseif ($region === 0) {
                    $region = $this->region($code);
                }
                $regions[$x] = $region;
            }
            $before = $code;
        }

        return $regions;
    }

    private function region(int $code): int
    {
        $region = array_pop($this->freeRegions) ?? count($this->into);
        $this->into[$region] = $region;
        $this->codes[$region] = $code;
        $this->pixels[$region] = 0;
        $this->starts[$region] = $this->loops[$region] = $this->sums[$region] = [];

        return $region;
    }

    private function root(int $region): int
    {
        while ($this->into[$region] !== $region) {
            $region = $this->into[$region] = $this->into[$this->into[$region]];
        }

        return $region;
    }

    private function join(int $one, int $other): int
    {
        [$one, $other] = [$this->root($one), $this->root($other)];
        if ($one === $other) {
            return $one;
        }
        // the longer list takes the shorter
        if (count($this->starts[$one]) < count($this->starts[$other])) {
            [$one, $other] = [$other, $one];
        }
        $this->into[$other] = $one;
        $this->pixels[$one] += $this->pixels[$other];
        array_push($this->starts[$one], ...$this->starts[$other]);
        array_push($this->loops[$one], ...$this->loops[$other]);
        foreach ($this->sums[$other] as $band => [$sum, $number]) {
            $mine = $this->sums[$one][$band] ?? [0.0, 0];
            $this->sums[$one][$band] = [$mine[0] + $sum, $mine[1] + $number];
        }
        $this->starts[$other] = $this->loops[$other] = $this->sums[$other] = [];
        $this->joined[] = $other;

        return $one;
    }

    /** @param  list<list<float>>  $values */
    private function note(int $region, int $from, int $to, array $values): void
    {
        $region = $this->root($region);
        $this->pixels[$region] += $to - $from;
        $this->last[$region] = $this->row;
        foreach ($values as $band => $line) {
            [$sum, $number] = $this->sums[$region][$band] ?? [0.0, 0];
            for ($x = $from; $x < $to; $x++) {
                $value = $line[$x];
                if ($value === $value) {
                    $sum += $value;
                    $number++;
                }
            }
            $this->sums[$region][$band] = [$sum, $number];
        }
    }

    /**
     * The borders that meet at the corners of the line above a row.
     *
     * @param  list<int>  $codes
     * @param  list<int>  $regions
     */
    private function corners(array $codes, array $regions): void
    {
        $above = $this->above;
        $over = $this->regions;
        $down = $this->down;
        $this->down = [];
        $corner = $this->row * $this->wide;
        $across = -1;
        $a = $c = $regionA = $regionC = 0;
        for ($x = 0; $x <= $this->width; $x++, $corner++) {
            $b = $above[$x];
            $d = $codes[$x];
            if (($a !== $b || $c !== $d) && ($a !== $c || $b !== $d)) {
                $end = $down[$x];
                if ($b === $d && $c === $d) {
                    // from above to the left
                    $this->lines[$end][] = $corner;
                    $this->meet($end, $across);
                    $across = $down[$x] = -1;
                } elseif ($a === $c && $a === $d) {
                    // from above to the right
                    $this->lines[$end][] = $corner;
                    $across = $end;
                    $down[$x] = -1;
                } elseif ($a === $b && $b === $d) {
                    // from the left downwards
                    $this->lines[$across][] = $corner;
                    $down[$x] = $across;
                    $across = -1;
                } elseif ($a === $b && $a === $c) {
                    $across = $this->begin($corner, $regions[$x], $regionC);
                    $down[$x] = $across ^ 1;
                } else {
                    [$across, $down[$x]] = $this->node($corner, [$a, $b, $d, $c], [$regionA, $over[$x], $regions[$x], $regionC], $end, $across);
                }
            }
            $a = $b;
            $c = $d;
            $regionA = $over[$x];
            $regionC = $regions[$x];
        }
        $this->down = $down;
    }

    /** A line that begins at a corner and has two ends to grow; the even one has $right on its right, the odd one $other. */
    private function begin(int $corner, int $right, int $other): int
    {
        $end = 2 * (array_pop($this->freeLines) ?? $this->lineCount++);
        $this->lines[$end] = [$corner];
        $this->lines[$end + 1] = [];
        $this->mates[$end] = $end + 1;
        $this->mates[$end + 1] = $end;
        $this->rights[$end] = $right;
        $this->rights[$end + 1] = $other;
        $this->atNode[$end] = $this->atNode[$end + 1] = false;
        $this->glued[$end] = $this->glued[$end + 1] = -1;

        return $end;
    }

    /**
     * Three regions or more around a corner: borders end there and others begin.
     *
     * $corner is the number of the corner; $up and $left the ends of the lines that come from there, −1 for none.
     *
     * @param  array{int, int, int, int}  $codes  clockwise from the upper left pixel
     * @param  array{int, int, int, int}  $regions
     * @return array{int, int} the ends that go on to the right and downwards; -1 for none
     */
    private function node(int $corner, array $codes, array $regions, int $up, int $left): array
    {
        [$a, $b, $d, $c] = $codes;
        [$regionA, $regionB, $regionD, $regionC] = $regions;
        $right = $b === $d ? -1 : $this->begin($corner, $regionD, $regionB);
        $down = $c === $d ? -1 : $this->begin($corner, $regionC, $regionD);
        $ends = [];
        $arrived = [];
        if ($a !== $b) {
            $this->lines[$up][] = $corner;
            $ends[] = $arrived[] = $up;
        }
        if ($right !== -1) {
            $ends[] = $right + 1;
        }
        if ($down !== -1) {
            $ends[] = $down + 1;
        }
        if ($a !== $c) {
            $this->lines[$left][] = $corner;
            $ends[] = $arrived[] = $left;
        }
        // who arrives along a border, its region on the right, goes on along the one before it, clockwise
        $before = (int) end($ends);
        foreach ($ends as $end) {
            $this->next[$end] = $before;
            $this->atNode[$end] = true;
            $before = $end;
        }
        $done = -1;
        foreach ($arrived as $end) {
            $mate = $this->mates[$end];
            // a border that leaves and comes back here arrives twice
            if ($end !== $done && $this->atNode[$mate]) {
                $this->arc($mate, $end);
                $done = $mate;
            }
        }

        return [$right, $down];
    }

    /** Two ends come together. */
    private function meet(int $one, int $other): void
    {
        $this->glued[$one] = $other;
        $this->glued[$other] = $one;
        if ($this->mates[$one] === $other) {
            $this->loop($one, $other);

            return;
        }
        [$first, $last] = [$this->mates[$one], $this->mates[$other]];
        $this->mates[$first] = $last;
        $this->mates[$last] = $first;
        if ($this->atNode[$first] && $this->atNode[$last]) {
            $this->arc($first, $last);
        }
    }

    /** A border between two nodes is whole. */
    private function arc(int $from, int $to): void
    {
        $corners = $this->gathered($from, $to);
        $sides = 0;
        foreach ([[$from, $to], [$to, $from]] as [$start, $finish]) {
            $region = $this->root($this->rights[$finish]);
            if ($region !== 0 && ($this->wanted === null || isset($this->wanted[$this->codes[$region]]))) {
                $this->starts[$region][] = $start;
                $sides++;
            }
        }
        if ($sides === 0) {
            $this->free($from, $to);

            return;
        }
        $this->owners[$from] = $this->owners[$to] = $from;
        $this->arcs[$from] = [$corners, null, $sides];
    }

    /** A border without a node has come back to itself. */
    private function loop(int $from, int $to): void
    {
        $corners = $this->gathered($from, $to);
        $number = array_pop($this->freeClosed) ?? $this->closedCount++;
        $sides = 0;
        foreach ([[$to, false], [$from, true]] as [$end, $isTurned]) {
            $region = $this->root($this->rights[$end]);
            if ($region !== 0 && ($this->wanted === null || isset($this->wanted[$this->codes[$region]]))) {
                $this->loops[$region][] = [$number, $isTurned];
                $sides++;
            }
        }
        $this->free($from, $to);
        if ($sides === 0) {
            $this->freeClosed[] = $number;
        } else {
            $this->closed[$number] = [$corners, null, $sides];
        }
    }

    /**
     * The corners of a border from one end to the other; lines between are given out again.
     *
     * @return list<int>
     */
    private function gathered(int $from, int $to): array
    {
        $corners = [];
        for ($end = $from; ; $end = $this->glued[$end ^ 1]) {
            for ($i = count($this->lines[$end]) - 1; $i >= 0; $i--) {
                $corners[] = $this->lines[$end][$i];
            }
            foreach ($this->lines[$end ^ 1] as $corner) {
                $corners[] = $corner;
            }
            $this->lines[$end] = $this->lines[$end ^ 1] = [];
            if ($end !== $from && ($end ^ 1) !== $to) {
                $this->freeLines[] = $end >> 1;
            }
            if (($end ^ 1) === $to) {
                return $corners;
            }
        }
    }

    private function free(int $from, int $to): void
    {
        unset($this->owners[$from], $this->owners[$to]);
        $this->freeLines[] = $from >> 1;
        if ($from >> 1 !== $to >> 1) {
            $this->freeLines[] = $to >> 1;
        }
    }

    /**
     * Regions of the row above that do not go on.
     *
     * @param  list<int>  $above
     * @return list<Region>
     */
    private function ended(array $above): array
    {
        $ended = [];
        $before = 0;
        foreach ($above as $region) {
            if ($region !== 0 && $region !== $before) {
                $root = $this->root($region);
                if ($this->last[$root] === $this->row - 1) {
                    $this->last[$root] = -1;
                    if ($this->wanted === null || isset($this->wanted[$this->codes[$root]])) {
                        $ended[] = $this->made($root);
                    }
                    $this->starts[$root] = $this->loops[$root] = $this->sums[$root] = [];
                    $this->joined[] = $root;
                }
            }
            $before = $region;
        }

        return $ended;
    }

    private function made(int $region): Region
    {
        $rings = [];
        if ($this->pixels[$region] < $this->minimum) {
            $this->leave($this->starts[$region], $this->loops[$region]);

            return new Region($this->codes[$region], $this->pixels[$region], [], [], false, $this->wide);
        }
        $done = [];
        foreach ($this->starts[$region] as $first) {
            if (isset($done[$first])) {
                continue;
            }
            $walk = [];
            for ($start = $first; ! isset($done[$start]); $start = $this->next[$this->mates[$start]]) {
                $done[$start] = true;
                $walk[] = $start;
            }
            array_push($rings, ...$this->cut($walk));
        }
        foreach ($this->loops[$region] as [$number, $isTurned]) {
            $corners = $this->closed[$number][0];
            $kept = $this->closed[$number][1] ??= $this->simplify?->loop($corners) ?? [];
            $rings[] = $isTurned ? [array_reverse($corners), array_reverse($kept)] : [$corners, $kept];
        }
        $this->leave($this->starts[$region], $this->loops[$region]);

        return new Region($this->codes[$region], $this->pixels[$region], $this->sums[$region], $rings, $this->simplify !== null, $this->wide);
    }

    /**
     * A region needs its borders no more.
     *
     * @param  list<int>  $starts
     * @param  list<array{int, bool}>  $loops
     */
    private function leave(array $starts, array $loops): void
    {
        foreach ($starts as $start) {
            $owner = $this->owners[$start];
            if (--$this->arcs[$owner][2] === 0) {
                unset($this->arcs[$owner]);
                $this->free($owner, $this->mates[$owner]);
            }
        }
        foreach ($loops as [$number]) {
            if (--$this->closed[$number][2] === 0) {
                unset($this->closed[$number]);
                $this->freeClosed[] = $number;
            }
        }
    }

    /**
     * A walk along arcs cut where it comes by a node again, as rings of corners; the first corner is not repeated.
     *
     * @param  list<int>  $walk  ends from which arcs start
     * @return list<array{list<int>, list<int>}> all corners, and those kept
     */
    private function cut(array $walk): array
    {
        $rings = [];
        $stack = [];
        $at = [];
        foreach ($walk as $start) {
            [$corners, $kept] = $this->along($start);
            $node = $corners[0];
            if (isset($at[$node])) {
                $rings[] = $loop = array_splice($stack, $at[$node]);
                foreach ($loop as [$others]) {
                    unset($at[$others[0]]);
                }
            }
            $at[$node] = count($stack);
            $stack[] = [$corners, $kept];
        }
        $rings[] = $stack;

        return array_map(fn (array $ring): array => [self::strung(array_column($ring, 0)), self::strung(array_column($ring, 1))], $rings);
    }

    /** @return array{list<int>, list<int>} corners of an arc from one of its ends, all and those kept */
    private function along(int $start): array
    {
        $owner = $this->owners[$start];
        $corners = $this->arcs[$owner][0];
        $kept = $this->arcs[$owner][1] ??= $this->simplify?->arc($corners) ?? [];

        return $owner === $start ? [$corners, $kept] : [array_reverse($corners), array_reverse($kept)];
    }

    /**
     * Arcs in a row, without the last corner of each, which is the first of the next.
     *
     * @param  list<list<int>>  $arcs
     * @return list<int>
     */
    private static function strung(array $arcs): array
    {
        $ring = [];
        foreach ($arcs as $corners) {
            for ($i = 0, $last = count($corners) - 1; $i < $last; $i++) {
                $ring[] = $corners[$i];
            }
        }

        return $ring;
    }

    /** Numbers of regions that are no more can be given out again when nothing tells them. */
    private function tidy(): void
    {
        foreach ($this->regions as $x => $region) {
            $this->regions[$x] = $this->root($region);
        }
        foreach ($this->down as $end) {
            if ($end !== -1) {
                $this->rights[$end] = $this->root($this->rights[$end]);
                $mate = $this->mates[$end];
                $this->rights[$mate] = $this->root($this->rights[$mate]);
            }
        }
        array_push($this->freeRegions, ...$this->joined);
        $this->joined = [];
    }
}
