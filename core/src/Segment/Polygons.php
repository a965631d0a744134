<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Regions\Runs\RunBlocks;
use Chorometra\Core\Regions\Runs\RunMap;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Grids;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Work;

/** Polygons from outside, such as parcels, as segments on the grid of an image. */
final class Polygons implements Kind
{
    private const MOST = 1_000_000;

    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.polygons',
            'Segments from polygons',
            'Rasterises polygons, such as parcels, into segments on the grid of an image.',
            [
                new Port('image', PortType::Image, 'The image whose grid is used.'),
                new Port('polygons', PortType::Features, 'The polygons; where they overlap, the first takes precedence.'),
            ],
            [],
            [new Port('segments', PortType::Segments, 'The polygons as segments: pixels whose centre is inside. Parts that do not touch become separate '
                .'segments.')],
            'Pixels by their centres: Foley, van Dam, Feiner & Hughes 1990, Computer Graphics, 3.6 (from memory).',
            synonyms: ['rasterise', 'parcels'],
            figures: [
                Figure::number('segments', 'segments'),
                Figure::number('polygons', 'polygons'),
                Figure::number('empty', 'polygons without a pixel centre'),
            ],
            desk: new Desk(6, evidence: [new Evidence('shading')], grids: Grids::Any),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $spec = $call->image()->spec();
        $grid = $spec->grid;
        $masks = [];
        foreach (Vectors::read($call->path('polygons'))->polygonsOn($grid, 'polygons') as $rings) {
            $masks[] = new PolygonMask([$rings], $grid);
            if (count($masks) > self::MOST) {
                throw Problem::input('There are more polygons than '.number_format(self::MOST).': take a part of them.', 'polygons');
            }
        }
        $bounds = array_map(fn (PolygonMask $mask): Window => $mask->bounds->within($grid->width, $grid->height), $masks);
        [$blocks, $seen] = RunBlocks::made(
            $grid->width,
            $grid->height,
            4,
            $call->context->part(0.0, 0.6),
            'laying polygons on the grid',
            function (int $first, int $rows) use ($masks, $bounds, $grid): array {
                $codes = array_fill(0, $rows * $grid->width, 0);
                $seen = [];
                foreach ($bounds as $k => $box) {
                    $from = max($first, $box->row);
                    $to = min($first + $rows, $box->row + $box->height);
                    if ($box->isEmpty() || $from >= $to) {
                        continue;
                    }
                    foreach ($masks[$k]->runs(new Window($box->col, $from, $box->width, $to - $from)) as $row => $runs) {
                        foreach ($runs as [$left, $right]) {
                            $start = ($from - $first + $row) * $grid->width + $box->col;
                            for ($i = $start + $left, $end = $start + $right; $i < $end; $i++) {
                                if ($codes[$i] === 0) {
                                    $codes[$i] = $k + 1;
                                    $seen[$k] = true;
                                }
                            }
                        }
                    }
                }
                $map = new RunMap($grid->width);
                $map->append(array_values($codes), $rows);

                return [$map, array_keys($seen)];
            });
        $found = count(array_unique(array_merge(...$seen)));
        if ($found === 0) {
            throw Problem::input("No polygon contains a pixel centre of {$call->image()->name()}, which is {$grid->describe()}.", 'polygons');
        }

        return ['segments' => $blocks->count, 'polygons' => count($masks), 'empty' => count($masks) - $found] + $work->part(0.6, 1.0)->make(
            ['segments' => RasterSpec::segments($grid, $spec->properties)],
            fn (Window $window): array => ['segments' => [$blocks->samples($window)]],
        );
    }
}
