<?php

namespace Chorometra\Core\Classify;

use Chorometra\Core\Classify\Maps\MajorityFilter;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** Each pixel takes the class that is most frequent around it. */
final class Smooth extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'classify.smooth',
            'Majority filter',
            'Assigns to each pixel the most frequent class in the window around it.',
            [new Port('classes', PortType::Classes, 'The class map.')],
            [Setting::whole('size', 3, 'Side of the window, odd.', 'pixels', 3, 31)],
            [new Port('classes', PortType::Classes, 'The filtered map. In a tie the pixel\'s own class is kept; else the lowest code is used.')],
            'Majority filter: Lillesand, Kiefer & Chipman, Remote Sensing and Image Interpretation, chapter on classification (from memory).',
            synonyms: ['mode filter', 'smooth classes'],
            example: new Example(['size' => '5']),
            desk: new Desk(3, ['{size} pixels']),
        );
    }

    public function plan(Call $call): Plan
    {
        $map = $call->image('classes');
        $size = $call->whole('size');
        if ($size % 2 === 0) {
            throw Problem::call("A window of $size pixels has no centre: use ".($size - 1).' or '.($size + 1).'.', 'size');
        }
        $spec = $map->spec();
        $nodata = $spec->nodataCode();

        return new Plan(
            [new Reading($map, [0], codes: true)],
            ['classes' => $spec],
            function (array $bands, RowBlock $rows) use ($size, $nodata): array {
                /** @var list<int> $codes */
                [$codes] = $bands;

                return ['classes' => [MajorityFilter::of($codes, $rows->width, $rows->above, $rows->rows, $rows->below, intdiv($size, 2), $nodata)]];
            },
            halo: intdiv($size, 2),
        );
    }
}
