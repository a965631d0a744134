<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Classify\Cases\Cases;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Context;

/**
 * Cases on their way through a key, couplet after couplet. How sure a case is, is the least share that spoke for any of the answers on its
 * way; an answer by a limit is sure.
 */
final class KeyRun
{
    public const YES = 1;

    public const NO = 0;

    /** Where a measure has no value. */
    public const NONE = -1;

    /** @var list<int> code of each of the cases given, 0 for unlabelled */
    public array $codes;

    /** @var list<float> 0 to 1 */
    public array $sure;

    /** @var list<int> which of the cases given are one in the end: those of one number */
    public array $pieces;

    /** @var array<string, array<int, array{cases: int, pixels: float, hectares: float|null}>> what went each way, by couplet and answer */
    public array $ways = [];

    /** @var array<string, MeasureHistogram|null> of what reached each couplet that asks a measure */
    public array $spreads = [];

    /** @var array<string, list<float>> what spoke for yes among the cases given, by couplet that learns; NaN where it was not asked */
    public array $shares = [];

    /** @var array<string, string|null> of the measure of each couplet */
    public array $units = [];

    private int $next;

    /**
     * @param  \Closure(Couplet, Cases): ?Learnt  $learnt  what a couplet has learnt, or learns from examples among the cases
     * @param  (\Closure(Cases, list<int>, float): Cases)|null  $cut  some of the cases cut along the tree at a limit
     * @param  bool  $tellsSpreads  whether it is told how values lie
     * @param  Context|null  $context  whose workers share what is much
     *
     * @throws Problem where a couplet can't be asked, about it
     */
    public function __construct(
        private readonly KeyDocument $key,
        private readonly \Closure $learnt,
        Cases $cases,
        private readonly ?\Closure $cut = null,
        private readonly bool $tellsSpreads = true,
        private readonly ?Context $context = null,
    ) {
        $count = $cases->count();
        $this->codes = array_fill(0, $count, $key->rest);
        $this->sure = array_fill(0, $count, 1.0);
        $this->pieces = $count > 0 ? range(0, $count - 1) : [];
        $this->next = $count;
        foreach ($key->order() as $couplet) {
            $this->ways[$couplet->id] = array_fill_keys([self::YES, self::NO, self::NONE], ['cases' => 0, 'pixels' => 0.0, 'hectares' => null]);
        }
        $members = $this->pieces;
        if ($key->cut !== null) {
            $cases = $this->cutAt($cases, $members, $key->cut);
            $members = range(0, $cases->count() - 1);
        }
        if ($key->first() !== null) {
            $this->ask($key->first(), $cases, $members);
        }
    }

    /**
     * Cuts are asked before a question, of all that is to be asked.
     *
     * @param  list<int>  $members
     */
    private function cutAt(Cases $cases, array $members, float $limit): Cases
    {
        if ($this->cut === null) {
            throw Problem::call('The key changes the merge limit: give the merge tree.', 'tree');
        }
        $cut = ($this->cut)($cases, $members, $limit);
        foreach ($cut->leaves() ?? [] as $leaves) {
            foreach ($leaves as $leaf) {
                $this->pieces[$leaf] = $this->next;
            }
            $this->next++;
        }

        return $cut;
    }

    /** @param  list<int>  $members  places among the cases */
    private function ask(Couplet $couplet, Cases $cases, array $members): void
    {
        try {
            [$answers, $sure] = $couplet->measure === null ? $this->learnt($couplet, $cases, $members) : [$this->measured($couplet, $cases, $members), null];
        } catch (Problem $problem) {
            throw $couplet->met($problem);
        }
        $sides = [self::YES => [], self::NO => [], self::NONE => []];
        foreach ($members as $i => $member) {
            $sides[$answers[$i]][] = $member;
        }
        $leaves = $cases->leaves();
        if ($sure !== null) {
            foreach ($members as $i => $member) {
                foreach ($leaves === null ? [$member] : $leaves[$member] as $leaf) {
                    $this->sure[$leaf] = min($this->sure[$leaf], $sure[$i]);
                }
            }
        }
        $this->count($couplet, $cases, $sides);
        foreach ([self::YES => $couplet->yes, self::NO => $couplet->no] as $side => $answer) {
            $code = $this->key->code($answer);
            if ($sides[$side] === []) {
                continue;
            }
            [$on, $some] = [$cases, $sides[$side]];
            if ($answer->cut !== null) {
                $on = $this->cutAt($cases, $some, $answer->cut);
                $some = range(0, $on->count() - 1);
            }
            if ($code === null) {
                $this->ask($this->key->couplets[(string) $answer->couplet], $on, $some);

                continue;
            }
            $of = $on->leaves();
            foreach ($some as $member) {
                foreach ($of === null ? [$member] : $of[$member] as $leaf) {
                    $this->codes[$leaf] = $code;
                }
            }
        }
    }

    /**
     * @param  list<int>  $members
     * @return list<int> answers in the order of the members
     */
    private function measured(Couplet $couplet, Cases $cases, array $members): array
    {
        $column = $cases->column((string) $couplet->measure);
        $values = [];
        foreach ($members as $member) {
            $values[] = $column['values'][$member];
        }
        $answers = $couplet->answers($values);
        if ($this->tellsSpreads) {
            $this->units[$couplet->id] = $column['unit'];
            $pixels = $cases->pixels();
            $valid = $weights = $given = [];
            foreach ($values as $i => $value) {
                if ($answers[$i] !== self::NONE) {
                    $valid[] = $value;
                    $given[] = $answers[$i];
                    $weights[] = $pixels === null ? 1 : $pixels[$members[$i]];
                }
            }
            $this->spreads[$couplet->id] = MeasureHistogram::of($valid, $weights, $given);
        }

        return $answers;
    }

    /**
     * @param  list<int>  $members
     * @return array{list<int>, list<float>} answers in the order of the members, and what spoke for each
     */
    private function learnt(Couplet $couplet, Cases $cases, array $members): array
    {
        $learnt = ($this->learnt)($couplet, $cases) ?? throw $couplet->problem('there are no examples: give some for both answers.');
        $columns = [];
        foreach ($couplet->told['examples']['measures'] as $measure) {
            $values = $cases->column($measure)['values'];
            $some = [];
            foreach ($members as $member) {
                $some[] = $values[$member];
            }
            $columns[] = $some;
        }
        $shares = $learnt->shares($columns, count($members), $this->context);
        $leaves = $cases->leaves();
        $this->shares[$couplet->id] ??= array_fill(0, count($this->codes), NAN);
        foreach ($shares as $i => $share) {
            foreach ($leaves === null ? [$members[$i]] : $leaves[$members[$i]] as $leaf) {
                $this->shares[$couplet->id][$leaf] = $share;
            }
        }
        $answers = $sure = [];
        foreach ($shares as $share) {
            $answers[] = is_nan($share) ? self::NONE : ($share > 0.5 ? self::YES : self::NO);
            $sure[] = is_nan($share) ? 0.0 : max($share, 1.0 - $share);
        }

        return [$answers, $sure];
    }

    /** @param  array<int, list<int>>  $sides */
    private function count(Couplet $couplet, Cases $cases, array $sides): void
    {
        [$pixels, $hectares] = [$cases->pixels(), $cases->hectares()];
        foreach ($sides as $side => $members) {
            $way = &$this->ways[$couplet->id][$side];
            $way['cases'] += count($members);
            $way['hectares'] ??= $hectares === null ? null : 0.0;
            foreach ($members as $member) {
                $way['pixels'] += $pixels === null ? 1 : $pixels[$member];
                if ($hectares !== null) {
                    $way['hectares'] += $hectares[$member];
                }
            }
            unset($way);
        }
    }
}
