<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Work;

/** Two segmentations as one: where the first has no segment, those of the second. */
final class Join implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.join',
            'Combine two segmentations',
            'Combines two segmentations, such as finely segmented land with water from density slicing.',
            [
                new Port('segments', PortType::Segments, 'Segments that take precedence, such as those merged within a class.'),
                new Port('others', PortType::Segments, 'Segments used where the first segmentation has none.'),
            ],
            [],
            [new Port('segments', PortType::Segments, 'Both, renumbered: the first ones, then the visible parts of the others.')],
            'Laying one map over another; common practice, no source.',
            synonyms: ['merge segmentations', 'overlay'],
            figures: [
                Figure::number('segments', 'segments'),
                Figure::number('first', 'from the first'),
                Figure::number('others', 'from the others'),
            ],
            desk: new Desk(7, evidence: [new Evidence('shading')]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        [$one, $other] = [$call->image('segments'), $call->image('others')];
        OneGrid::check([$one, $other]);
        $grid = $one->spec()->grid;
        $seen = [[], []];
        (new Pass($grid))->gather(
            $call->context->part(0.0, 0.4),
            'looking for segments',
            fn (Window $window): array => self::seen(Values::codes($one, $window), Values::codes($other, $window), $window->pixels()),
            function (array $found) use (&$seen): void {
                $seen = [$seen[0] + array_flip($found[0]), $seen[1] + array_flip($found[1])];
            },
        );
        $tables = [];
        $count = 0;
        foreach ($seen as $numbers) {
            ksort($numbers);
            $table = [];
            foreach (array_keys($numbers) as $number) {
                $table[$number] = ++$count;
            }
            $tables[] = $table;
        }

        return ['segments' => $count, 'first' => count($tables[0]), 'others' => count($tables[1])] + $work->part(0.4, 1.0)->make(
            ['segments' => RasterSpec::segments($grid, $one->spec()->properties)],
            fn (Window $window): array => [
                'segments' => [self::laid(Values::codes($one, $window), Values::codes($other, $window), $window->pixels(), ...$tables)],
            ],
        );
    }

    /**
     * Numbers that are met: of the first, and of the others where the first has none.
     *
     * @param  list<int>  $first
     * @param  list<int>  $others
     * @return array{list<int>, list<int>}
     */
    private static function seen(array $first, array $others, int $count): array
    {
        $known = [[], []];
        $before = 0;
        for ($i = 0; $i < $count; $i++) {
            $label = $first[$i] > 0 ? $first[$i] : -$others[$i];
            if ($label !== $before && $label !== 0) {
                $known[$label > 0 ? 0 : 1][abs($label)] = true;
            }
            $before = $label;
        }

        return [array_keys($known[0]), array_keys($known[1])];
    }

    /**
     * @param  list<int>  $first
     * @param  list<int>  $others
     * @param  array<int, int>  $table  new numbers by those of the first
     * @param  array<int, int>  $tableOfOthers
     * @return list<int>
     */
    private static function laid(array $first, array $others, int $count, array $table, array $tableOfOthers): array
    {
        for ($i = 0; $i < $count; $i++) {
            $first[$i] = $first[$i] > 0 ? $table[$first[$i]] : ($others[$i] > 0 ? $tableOfOthers[$others[$i]] : 0);
        }

        return $first;
    }
}
