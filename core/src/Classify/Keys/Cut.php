<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Classify\Cases\Cases;
use Chorometra\Core\Classify\Cases\SegmentCases;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Regions\Numbers\Relabelled;
use Chorometra\Core\Regions\Numbers\Together;

/** Segments cut along the tree that came with them: those are one that touch, and that the tree joins up to a limit. */
final readonly class Cut
{
    /** @throws Problem where the tree does not belong to the segments */
    public function __construct(private Image $image, private Graph $graph, private MergeTree $tree)
    {
        $most = max([0, ...$graph->numbers]);
        if ($most > $tree->leaves) {
            throw Problem::input("The segments go up to $most, and the tree has $tree->leaves: it belongs to other segments.", 'tree');
        }
    }

    /**
     * @param  list<int>  $members  places among the cases that are cut; what they are made of comes together anew
     */
    public function cut(Cases $cases, array $members, float $limit): SegmentCases
    {
        if (! $cases instanceof SegmentCases) {
            throw new \LogicException('Only segments have a merge limit.');
        }
        $tops = $this->tree->cut($limit);
        $leaves = $cases->leaves();
        $isMember = [];
        foreach ($members as $member) {
            foreach ($leaves === null ? [$member] : $leaves[$member] as $leaf) {
                $isMember[$leaf] = true;
            }
        }
        $numbers = $this->graph->numbers;
        $together = new Together(count($numbers));
        foreach ($this->graph->first as $k => $one) {
            $other = $this->graph->second[$k];
            if (isset($isMember[$one], $isMember[$other]) && $tops[$numbers[$one] - 1] === $tops[$numbers[$other] - 1]) {
                $together->join($one + 1, $other + 1);
            }
        }
        $joined = $together->numbers();
        ksort($isMember);
        $known = $pieces = [];
        $labels = array_fill(0, max([0, ...$numbers]) + 1, 0);
        foreach (array_keys($isMember) as $leaf) {
            $place = $known[$joined[$leaf + 1]] ??= count($known);
            $pieces[$place][] = $leaf;
            $labels[$numbers[$leaf]] = $place + 1;
        }

        return $cases->cut(new Relabelled($this->image, $labels), $pieces);
    }
}
