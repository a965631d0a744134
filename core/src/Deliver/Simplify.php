<?php

namespace Chorometra\Core\Deliver;

/**
 * Rings with fewer corners. Rings are cut where borders meet, and each piece is simplified by itself and always in the same
 * direction, so what two regions share stays shared.
 *
 * Source: Douglas & Peucker 1973, Cartographica 10:112–122.
 */
final class Simplify
{
    /** @var array<string, list<int>> */
    private array $done = [];

    /** @param  float  $tolerance in pixels; 0 leaves out only corners on straight lines */
    public function __construct(private readonly Rings $rings, private readonly int $wide, private readonly float $tolerance) {}

    /**
     * @param  list<int>  $ring
     * @return list<int> open ring; fewer than three corners where it has shrunk to nothing
     */
    public function ring(array $ring): array
    {
        if ($this->tolerance <= 0) {
            return $this->turns($ring);
        }
        $count = count($ring);
        $nodes = [];
        foreach ($ring as $index => $corner) {
            if ($this->rings->isNode($corner)) {
                $nodes[] = $index;
            }
        }
        if ($nodes === []) {
            // an island: both sides start at the same corner
            $nodes = [array_search(min($ring), $ring, true)];
        }
        $out = [];
        foreach ($nodes as $number => $from) {
            $to = $nodes[$number + 1] ?? $nodes[0] + $count;
            $piece = [];
            for ($i = $from; $i <= $to; $i++) {
                $piece[] = $ring[$i % $count];
            }
            array_push($out, ...array_slice($this->piece($piece), 0, -1));
        }

        return $out;
    }

    /**
     * @param  list<int>  $piece
     * @return list<int>
     */
    private function piece(array $piece): array
    {
        $last = count($piece) - 1;
        $turned = $piece[0] > $piece[$last] || ($piece[0] === $piece[$last] && $piece[1] > $piece[$last - 1]);
        $key = $turned ? "$piece[$last]/{$piece[$last - 1]}" : "$piece[0]/$piece[1]";
        if (isset($this->done[$key])) {
            // a border has two sides: after the second it is needed no more
            $reduced = $this->done[$key];
            unset($this->done[$key]);
        } else {
            $reduced = $this->done[$key] = $this->reduce($turned ? array_reverse($piece) : $piece);
        }

        return $turned ? array_reverse($reduced) : $reduced;
    }

    /**
     * @param  list<int>  $piece
     * @return list<int>
     */
    private function reduce(array $piece): array
    {
        $last = count($piece) - 1;
        $keep = [0 => true, $last => true];
        $todo = [[0, $last]];
        $limit = $this->tolerance ** 2;
        while ($todo !== []) {
            [$from, $to] = array_pop($todo);
            $farthest = -1.0;
            $at = 0;
            for ($i = $from + 1; $i < $to; $i++) {
                $distance = $this->distance($piece[$i], $piece[$from], $piece[$to]);
                if ($distance > $farthest) {
                    $farthest = $distance;
                    $at = $i;
                }
            }
            // a closed piece keeps its farthest corner, or it would be a line
            if ($farthest > $limit || ($farthest > 0 && $piece[$from] === $piece[$to])) {
                $keep[$at] = true;
                array_push($todo, [$from, $at], [$at, $to]);
            }
        }
        ksort($keep);

        return array_map(fn (int $i): int => $piece[$i], array_keys($keep));
    }

    private function distance(int $corner, int $from, int $to): float
    {
        $x = $corner % $this->wide - $from % $this->wide;
        $y = intdiv($corner, $this->wide) - intdiv($from, $this->wide);
        $dx = $to % $this->wide - $from % $this->wide;
        $dy = intdiv($to, $this->wide) - intdiv($from, $this->wide);
        $length = $dx * $dx + $dy * $dy;
        $t = $length > 0 ? max(0.0, min(1.0, ($x * $dx + $y * $dy) / $length)) : 0.0;

        return ($x - $t * $dx) ** 2 + ($y - $t * $dy) ** 2;
    }

    /**
     * @param  list<int>  $ring
     * @return list<int>
     */
    private function turns(array $ring): array
    {
        $out = [];
        $count = count($ring);
        for ($i = 0; $i < $count; $i++) {
            if ($ring[$i] - $ring[($i + $count - 1) % $count] !== $ring[($i + 1) % $count] - $ring[$i]) {
                $out[] = $ring[$i];
            }
        }

        return $out;
    }
}
