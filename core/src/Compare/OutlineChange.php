<?php

namespace Chorometra\Core\Compare;

use Chorometra\Core\Format\Vector\Overlaid;
use Chorometra\Core\Format\Vector\PolygonRings;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Grids;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;

/** Two sets of outlines over each other: what lies in both, and in one only. */
final class OutlineChange implements Kind
{
    /** Metres of width below which a part is what two roundings of one border leave between them. */
    private const SLIVER = 0.01;

    public function declaration(): Declaration
    {
        return new Declaration(
            'compare.outlines',
            'Overlay of outlines',
            'Overlays two sets of outlines and reports what is in both and what is in only one, with areas.',
            [
                new Port('before', PortType::Outlines, 'Outlines of the earlier date.', sample: 'area'),
                new Port('after', PortType::Outlines, 'Outlines of the later date.', sample: 'area'),
            ],
            [
                Setting::choice('parts', ['all', 'both', 'either', 'gone', 'come', 'changed'], 'all', 'Parts to output.', [
                    'all' => 'in both, lost and gained, each marked',
                    'both' => 'in both',
                    'either' => 'in one or both',
                    'gone' => 'only in the earlier',
                    'come' => 'only in the later',
                    'changed' => 'lost or gained',
                ]),
            ],
            [new Port('result', PortType::Outlines, 'Outlines, each with its part and hectares.', endings: Vectors::endings())],
            'Boolean operations on polygons, cut where they meet: Bentley & Ottmann 1979, IEEE Transactions on Computers C-28:643–647 (from memory). Areas on '
                .'an equal-area plane around the middle (Snyder 1987).',
            synonyms: ['intersection', 'union', 'overlay of polygons'],
            figures: [Figure::table('parts', 'areas', ['part' => null, 'outlines' => null, 'hectares' => 'ha'])],
            desk: new Desk(5, ['{parts}'], grids: Grids::Any),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $call->context->report(0.0, 'overlaying outlines');
        $laid = Overlaid::files($call->path('before'), 'before', $call->path('after'), 'after');
        $parts = [
            'both' => fn (bool $before, bool $after): bool => $before && $after,
            'gone' => fn (bool $before, bool $after): bool => $before && ! $after,
            'come' => fn (bool $before, bool $after): bool => $after && ! $before,
            'either' => fn (bool $before, bool $after): bool => $before || $after,
            'changed' => fn (bool $before, bool $after): bool => $before !== $after,
        ];
        $chosen = $call->text('parts');
        $features = $rows = [];
        foreach ($parts as $part => $wanted) {
            $isOutlined = $chosen === $part || ($chosen === 'all' && in_array($part, ['both', 'gone', 'come'], true));
            $polygons = $isOutlined ? array_filter($laid->overlay->polygons($wanted), self::isWide(...)) : [];
            foreach ($polygons as $rings) {
                $features[] = [
                    'geometry' => ['type' => 'Polygon', 'coordinates' => $laid->onEarth($rings)],
                    'properties' => ['part' => $part, 'hectares' => array_sum(array_map(PolygonRings::area(...), $rings)) / 1e4],
                ];
            }
            $rows[] = ['part' => $part, 'outlines' => $isOutlined ? count($polygons) : null, 'hectares' => $laid->overlay->area($wanted) / 1e4];
        }
        Vectors::write($call->outputs['result'], $features);

        return ['parts' => $rows];
    }

    /** @param  list<list<array{float, float}>>  $rings */
    private static function isWide(array $rings): bool
    {
        $length = 0.0;
        foreach ($rings as $ring) {
            for ($i = 1, $n = count($ring); $i < $n; $i++) {
                $length += hypot($ring[$i][0] - $ring[$i - 1][0], $ring[$i][1] - $ring[$i - 1][1]);
            }
        }

        return 2.0 * array_sum(array_map(PolygonRings::area(...), $rings)) > self::SLIVER * $length;
    }
}
