<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Problem;
use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Regions\Numbers\Together;
use Chorometra\Core\Work\Memory;

/**
 * Rules over the patches of a map: regions of one class that touch along sides. Each rule works on what the one before it left.
 *
 * - dissolve: the pieces of a patch become one.
 * - absorb: patches below a size, the smallest first, then the one with the least number, go to the neighbour with the longest edge (of those
 *   alike the larger, then the one with the lesser number), and become one patch with all of its class that they touch then; or they are
 *   given back.
 * - fill: patches of which a share of the edge lies against a class become of that class, all at once. The end of the image is edge, and
 *   against nothing.
 * - give back: what is of a class becomes unlabelled.
 */
final class Tidy
{
    /** Bytes that a region may take while patches are looked at, with its edges. */
    private const REGION = 1200;

    /** @var array<int, bool> regions, all in their order, that rules have changed the class of */
    public array $changed;

    /**
     * @param  list<float>|null  $hectares  of each region
     * @param  list<int>  $codes  of each region; 0 for unlabelled
     * @param  list<int>  $pieces  regions of one number are one piece
     */
    public function __construct(private readonly Graph $graph, private readonly ?array $hectares, public array $codes, public array $pieces)
    {
        $this->changed = array_fill(0, $graph->count(), false);
    }

    /**
     * All rules of a key that are not switched off.
     *
     * @param  list<float>|null  $hectares
     * @param  list<int>  $codes
     * @param  list<int>  $pieces
     * @param  (\Closure(self, int): void)|null  $after  told after each rule, with its place in the key
     * @return array{self, list<array{rule: string, changed: int, pixels: int, area: float|null}>} and what each rule changed
     *
     * @throws Problem where sizes in hectares can't be told
     */
    public static function all(KeyDocument $key, Graph $graph, ?array $hectares, array $codes, array $pieces, ?\Closure $after = null): array
    {
        if (array_filter($key->rules, fn (Rule $rule): bool => ! $rule->isOff) !== []) {
            $what = 'Tidying '.number_format($graph->count()).' regions';
            Memory::reserve(self::REGION * $graph->count(), $what, 'use a part of the image, or remove small patches first');
        }
        $tidy = new self($graph, $hectares, $codes, $pieces);
        $rows = [];
        foreach ($key->rules as $at => $rule) {
            if ($rule->isOff) {
                continue;
            }
            if ($rule->isInHectares && $hectares === null) {
                $which = 'Rule '.($at + 1).' of the key';
                throw Problem::input("$which is in ha, but the image has no georeference: give its size in pixels.", "key/rules/$at");
            }
            ['patches' => $patches, 'pixels' => $pixels, 'hectares' => $area] = $tidy->apply($rule);
            $rows[] = ['rule' => $rule->words(), 'changed' => $patches, 'pixels' => $pixels, 'area' => $area];
            $after === null || $after($tidy, $at);
        }

        return [$tidy, $rows];
    }

    /** @return array{patches: int, pixels: int, hectares: float|null} what it changed: of dissolving how many pieces went up in others */
    public function apply(Rule $rule): array
    {
        if ($rule->what === 'dissolve') {
            return $this->dissolve($rule);
        }
        $before = $this->codes;
        $patches = match ($rule->what) {
            'absorb' => $this->absorb($rule),
            'fill' => $this->fill($rule),
            default => $this->giveBack($rule),
        };
        $pixels = 0;
        $hectares = $this->hectares === null ? null : 0.0;
        foreach ($this->codes as $i => $code) {
            if ($code !== $before[$i]) {
                $this->changed[$i] = true;
                $pixels += $this->graph->pixels[$i];
                if ($hectares !== null) {
                    $hectares += $this->hectares[$i] ?? 0.0;
                }
            }
        }

        return ['patches' => $patches, 'pixels' => $pixels, 'hectares' => $hectares];
    }

    /** @return list<int> new numbers of the pieces, from 1 in the order of their first regions */
    public function numbers(): array
    {
        $known = $numbers = [];
        foreach ($this->pieces as $piece) {
            $numbers[] = $known[$piece] ??= count($known) + 1;
        }

        return $numbers;
    }

    /** @return array{patches: int, pixels: int, hectares: float|null} */
    private function dissolve(Rule $rule): array
    {
        $before = count(array_unique($this->pieces));
        $together = new Together($this->graph->count());
        $firsts = [];
        foreach ($this->pieces as $i => $piece) {
            $together->join($firsts[$piece] ??= $i + 1, $i + 1);
        }
        foreach ($this->graph->first as $k => $one) {
            $other = $this->graph->second[$k];
            if ($this->codes[$one] === $this->codes[$other] && $this->codes[$one] !== 0 && $this->isMeant($rule, $this->codes[$one])) {
                $together->join($one + 1, $other + 1);
            }
        }
        $this->pieces = array_slice($together->numbers(), 1);

        return ['patches' => $before - count(array_unique($this->pieces)), 'pixels' => 0, 'hectares' => $this->hectares === null ? null : 0.0];
    }

    private function giveBack(Rule $rule): int
    {
        $patches = $this->patches();
        $back = array_filter($patches->codes, fn (int $code): bool => $code !== 0 && $this->isMeant($rule, $code));
        $this->recode($patches, array_fill_keys(array_keys($back), 0));

        return count($back);
    }

    private function fill(Rule $rule): int
    {
        $patches = $this->patches();
        $edge = $patches->outer;
        $against = array_fill(0, count($edge), 0.0);
        foreach ($patches->edges as $one => $others) {
            foreach ($others as $other => $length) {
                $edge[$one] += $length;
                $against[$one] += $patches->codes[$other] === $rule->with ? $length : 0.0;
            }
        }
        $filled = [];
        foreach ($patches->codes as $patch => $code) {
            $isSmall = $patches->size($patch, $rule->isInHectares) < $rule->below;
            if ($code !== $rule->with && $isSmall && $this->isMeant($rule, $code) && $edge[$patch] > 0.0 && $against[$patch] >= $rule->share * $edge[$patch]) {
                $filled[$patch] = (int) $rule->with;
            }
        }
        $this->recode($patches, $filled);

        return count($filled);
    }

    private function absorb(Rule $rule): int
    {
        $patches = $this->patches();
        $isSmall = fn (int $patch): bool => $patches->codes[$patch] !== 0
            && $this->isMeant($rule, $patches->codes[$patch])
            && $patches->size($patch, $rule->isInHectares) < $rule->below;
        $small = array_filter(array_keys($patches->codes), $isSmall);
        if (! $rule->intoNeighbour) {
            $this->recode($patches, array_fill_keys($small, 0));

            return count($small);
        }
        $queue = new \SplPriorityQueue;
        // the smallest comes first, then the one with the least number
        $enter = fn (int $patch) => $queue->insert($patch, [-$patches->size($patch, $rule->isInHectares), -$patches->numbers[$patch]]);
        array_map($enter, $small);
        $absorbed = 0;
        while (! $queue->isEmpty()) {
            $queue->setExtractFlags(\SplPriorityQueue::EXTR_BOTH);
            ['data' => $patch, 'priority' => [$size]] = $queue->extract();
            // it may have grown, or gone up in another
            if ($patches->root($patch) !== $patch || ! $isSmall($patch) || $patches->size($patch, $rule->isInHectares) !== -$size) {
                continue;
            }
            $best = $patches->longest($patch);
            if ($best !== null) {
                $patch = $patches->join($patch, $best);
                $absorbed++;
                if ($isSmall($patch)) {
                    $enter($patch);
                }
            }
        }
        $codes = [];
        foreach ($patches->of as $i => $patch) {
            $codes[$i] = $patches->codes[$patches->root($patch)];
        }
        $this->codes = $codes;

        return $absorbed;
    }

    private function isMeant(Rule $rule, int $code): bool
    {
        return $rule->of === [] || in_array($code, $rule->of, true);
    }

    private function patches(): Patches
    {
        return new Patches($this->graph, $this->hectares, $this->codes);
    }

    /** @param  array<int, int>  $codes  by patch */
    private function recode(Patches $patches, array $codes): void
    {
        foreach ($patches->of as $i => $patch) {
            $this->codes[$i] = $codes[$patch] ?? $this->codes[$i];
        }
    }
}
