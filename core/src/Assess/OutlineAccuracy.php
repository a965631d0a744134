<?php

namespace Chorometra\Core\Assess;

use Chorometra\Core\Assess\Overlap\BorderDistance;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Format\Vector\Overlaid;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Grids;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;

/** Outlines against those that are true. */
final class OutlineAccuracy implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'assess.outlines',
            'Outlines against reference',
            'Compares outlines with reference outlines: overlap, omission, commission, and the distance between borders.',
            [
                new Port('outlines', PortType::Outlines, 'The outlines to check.', sample: 'area'),
                new Port('reference', PortType::Outlines, 'The reference outlines.', sample: 'area'),
            ],
            [],
            [new Port('result', PortType::Table, 'The figures.', endings: ['.csv'])],
            'Intersection over union: Jaccard 1912, New Phytologist 11:37–50; omission and commission as parts of the reference and of the outlines; mean '
                .'distance of borders both ways, from places evenly along them (common practice, no source). Areas on an equal-area plane (Snyder 1987).',
            synonyms: ['intersection over union', 'omission', 'commission', 'polygons'],
            figures: [
                Figure::share('union', 'intersection over union'),
                Figure::number('hectares', 'area outlined', 'ha'),
                Figure::number('reference', 'area of the reference', 'ha'),
                Figure::number('shared', 'area in both', 'ha'),
                Figure::number('omitted', 'area omitted', 'ha'),
                Figure::share('omission', 'omission, of the reference'),
                Figure::number('committed', 'area committed', 'ha'),
                Figure::share('commission', 'commission, of the outlines'),
                Figure::number('distance', 'mean distance of borders', 'm'),
                Figure::number('fromOutlines', 'from the outlines to the reference', 'm'),
                Figure::number('fromReference', 'from the reference to the outlines', 'm'),
            ],
            desk: new Desk(5, grids: Grids::Any),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $call->context->report(0.0, 'overlaying outlines');
        $overlay = Overlaid::files($call->path('outlines'), 'outlines', $call->path('reference'), 'reference')->overlay;
        $area = fn (\Closure $wanted): float => $overlay->area($wanted) / 1e4;
        $one = $area(fn (bool $mine, bool $true): bool => $mine);
        $other = $area(fn (bool $mine, bool $true): bool => $true);
        $both = $area(fn (bool $mine, bool $true): bool => $mine && $true);
        $call->context->report(0.5, 'measuring distances between borders');
        $mine = $overlay->borders(fn (bool $mine, bool $true): bool => $mine);
        $true = $overlay->borders(fn (bool $mine, bool $true): bool => $true);
        $there = (new BorderDistance($true))->of($mine);
        $back = (new BorderDistance($mine))->of($true);
        $figures = [
            'union' => $both / max(1e-300, $one + $other - $both),
            'hectares' => $one,
            'reference' => $other,
            'shared' => $both,
            'omitted' => $other - $both,
            'omission' => $other > 0.0 ? ($other - $both) / $other : null,
            'committed' => $one - $both,
            'commission' => $one > 0.0 ? ($one - $both) / $one : null,
            'distance' => $there === null || $back === null ? null : 0.5 * ($there + $back),
            'fromOutlines' => $there,
            'fromReference' => $back,
        ];
        Files::write($call->outputs['result'], Csv::of([['figure', 'value'], ...array_map(
            fn (string $name, ?float $value): array => [$name, $value],
            array_keys($figures),
            $figures,
        )]));

        return $figures;
    }
}
