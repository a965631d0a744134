<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Regions\Numbers\Together;

/** Regions of one class that touch, as one: their sizes and edges, and how they join. */
final class Patches
{
    /** @var list<int> the patch of each region */
    public array $of = [];

    /** @var list<int> by patch */
    public array $codes = [];

    /** @var list<int> the place of its first region */
    public array $numbers = [];

    /** @var list<float> edge against nothing */
    public array $outer = [];

    /** @var list<array<int, float>> lengths of edges, by neighbour */
    public array $edges = [];

    /** @var list<int> */
    private array $pixels = [];

    /** @var list<float>|null */
    private ?array $hectares;

    /** @var list<int> the patch that one has gone up in, itself for none */
    private array $into = [];

    /**
     * @param  list<float>|null  $hectares  by region
     * @param  list<int>  $codes
     */
    public function __construct(Graph $graph, ?array $hectares, array $codes)
    {
        $together = new Together($graph->count());
        foreach ($graph->first as $k => $one) {
            if ($codes[$one] === $codes[$graph->second[$k]]) {
                $together->join($one + 1, $graph->second[$k] + 1);
            }
        }
        $this->hectares = $hectares === null ? null : [];
        $numbers = $together->numbers();
        foreach ($codes as $i => $code) {
            $patch = $numbers[$i + 1] - 1;
            $this->of[] = $patch;
            if ($patch === count($this->codes)) {
                $this->codes[] = $code;
                $this->numbers[] = $i;
                $this->pixels[] = 0;
                $this->outer[] = 0.0;
                $this->edges[] = [];
                $this->into[] = $patch;
                if ($this->hectares !== null) {
                    $this->hectares[] = 0.0;
                }
            }
            $this->pixels[$patch] += $graph->pixels[$i];
            $this->outer[$patch] += $graph->outer[$i];
            if ($this->hectares !== null) {
                $this->hectares[$patch] += $hectares[$i] ?? 0.0;
            }
        }
        foreach ($graph->first as $k => $one) {
            [$a, $b] = [$this->of[$one], $this->of[$graph->second[$k]]];
            if ($a !== $b) {
                $this->edges[$a][$b] = ($this->edges[$a][$b] ?? 0.0) + $graph->length[$k];
                $this->edges[$b][$a] = ($this->edges[$b][$a] ?? 0.0) + $graph->length[$k];
            }
        }
    }

    public function size(int $patch, bool $isInHectares): float
    {
        return $isInHectares ? $this->hectares[$patch] ?? NAN : (float) $this->pixels[$patch];
    }

    public function root(int $patch): int
    {
        while ($this->into[$patch] !== $patch) {
            $this->into[$patch] = $this->into[$this->into[$patch]];
            $patch = $this->into[$patch];
        }

        return $patch;
    }

    /** The neighbour with the longest edge; of those alike the larger, then the one with the lesser number. */
    public function longest(int $patch): ?int
    {
        $best = null;
        foreach ($this->edges[$patch] as $other => $length) {
            $order = $best === null ? 1 : ($length <=> $this->edges[$patch][$best]
                ?: $this->pixels[$other] <=> $this->pixels[$best]
                ?: $this->numbers[$best] <=> $this->numbers[$other]);
            $best = $order > 0 ? $other : $best;
        }

        return $best;
    }

    /** A patch becomes of the class of another, and one with it and all of that class that it touches. Tells which. */
    public function join(int $patch, int $with): int
    {
        $code = $this->codes[$with];
        $joining = array_filter(array_keys($this->edges[$patch]), fn (int $other): bool => $this->codes[$other] === $code);
        foreach ($joining as $other) {
            $patch = $this->one($patch, $other);
        }
        $this->codes[$patch] = $code;

        return $patch;
    }

    /** The one with more neighbours takes over those of the other. */
    private function one(int $a, int $b): int
    {
        if (count($this->edges[$a]) < count($this->edges[$b])) {
            [$a, $b] = [$b, $a];
        }
        foreach ($this->edges[$b] as $other => $length) {
            unset($this->edges[$other][$b]);
            if ($other !== $a) {
                $this->edges[$a][$other] = $this->edges[$other][$a] = ($this->edges[$a][$other] ?? 0.0) + $length;
            }
        }
        $this->edges[$b] = [];
        $this->into[$b] = $a;
        $this->pixels[$a] += $this->pixels[$b];
        $this->outer[$a] += $this->outer[$b];
        $this->numbers[$a] = min($this->numbers[$a], $this->numbers[$b]);
        if ($this->hectares !== null) {
            $this->hectares[$a] += $this->hectares[$b];
        }

        return $a;
    }
}
