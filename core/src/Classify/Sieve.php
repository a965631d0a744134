<?php

namespace Chorometra\Core\Classify;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\SideLength;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Regions\Runs\Absorb;
use Chorometra\Core\Regions\Runs\RunBlocks;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;

/** Small patches of a class map go up in what they border on. */
final class Sieve implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'classify.sieve',
            'Remove small patches',
            'Merges patches below a minimum size into the neighbour with the longest shared edge.',
            [new Port('classes', PortType::Classes, 'The class map.')],
            [
                Setting::whole('minimum', 10, 'Patches with fewer pixels are removed, the smallest first.', 'pixels', 2, 100_000_000),
                Setting::choice('neighbours', ['4', '8'], '4', 'Connectivity: pixels that touch only at a corner belong to one patch (8) or not (4).'),
            ],
            [new Port('classes', PortType::Classes, 'The map without small patches; unlabelled counts as a class, nodata is left unchanged.')],
            'Labelling: He, Chao & Suzuki 2008, IEEE Transactions on Image Processing 17:749–756. The longest shared edge: common practice, no source.',
            synonyms: ['sieve', 'minimum mapping unit', 'small areas'],
            example: new Example(['minimum' => '5']),
            figures: [
                Figure::number('patches', 'patches before'),
                Figure::number('joined', 'merged into a neighbour'),
            ],
            desk: new Desk(4, ['below {minimum} pixels']),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $map = $call->image('classes');
        $spec = $map->spec();
        // one more than the codes: unlabelled pixels make patches too
        $neighbours = (int) $call->text('neighbours');
        $blocks = RunBlocks::ofMap($map, $neighbours, 1, $call->context->part(0.0, 0.3));
        if ($blocks->count === 0) {
            throw Problem::input("{$map->name()} is nodata everywhere.", 'classes');
        }
        $side = SideLength::of(Ground::of($spec->grid));
        $absorb = new Absorb($blocks, $call->whole('minimum'), $side, $neighbours === 8, $call->context->part(0.3, 0.6));
        $nodata = max(0, $spec->nodataCode());

        return ['patches' => $blocks->count, 'joined' => $absorb->joined] + $work->part(0.6, 1.0)->make(['classes' => $spec], fn (Window $window): array => [
            'classes' => [$blocks->painted($window, fn (int $part, int $code): int => $code === 0 ? $nodata : $absorb->code($part) - 1)],
        ]);
    }
}
