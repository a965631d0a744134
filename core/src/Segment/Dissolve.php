<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Regions\Numbers\Majority;
use Chorometra\Core\Regions\Numbers\Neighbours;
use Chorometra\Core\Regions\Numbers\Renumbered;
use Chorometra\Core\Regions\Numbers\Together;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Context;

/** Neighbouring segments of one class become one. */
final class Dissolve implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.dissolve',
            'Dissolve segments by class',
            'Merges neighbouring segments of the same class in a map.',
            [
                new Port('segments', PortType::Segments, 'The segments.'),
                new Port('classes', PortType::Classes, 'A class map on the same grid; each segment takes its majority class.'),
            ],
            [],
            [new Port('segments', PortType::Segments, 'The dissolved segments; unlabelled ones are left unchanged.')],
            'Connected components of a graph: Hopcroft & Tarjan 1973, Communications of the ACM 16:372–378 (from memory).',
            synonyms: ['merge by class', 'aggregate'],
            figures: [
                Figure::number('segments', 'segments'),
                Figure::number('before', 'segments before'),
                Figure::number('unclassed', 'unlabelled'),
            ],
            desk: new Desk(5, evidence: [new Evidence('shading')]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        [$segments, $map] = [$call->image('segments'), $call->image('classes')];
        OneGrid::check([$segments, $map]);
        $majority = Majority::of($segments, $map, $call->context->part(0.0, 0.4));
        $most = max($majority->most, (int) Histogram::moments($segments, 0, new Context($call->context->workers), 0)->maximum);
        $classes = $majority->codes;
        $together = new Together($most);
        Neighbours::each($segments, $call->context->part(0.4, 0.7), function (int $one, int $other) use ($together, $classes): void {
            if (($classes[$one] ?? 0) !== 0 && $classes[$one] === ($classes[$other] ?? 0)) {
                $together->join($one, $other);
            }
        });
        $numbers = $together->numbers();

        return Renumbered::write($work->part(0.7, 1.0), $segments, $numbers) + [
            'before' => $most,
            'unclassed' => $most - count(array_filter($classes)),
        ];
    }
}
