<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Regions\Numbers\Renumbered;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;

/** The same segmentation at a higher limit, from the tree that merging kept. */
final class Coarsen implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.coarsen',
            'Coarser segmentation',
            'Raises the merge limit of a segmentation at once, using the merge tree that came with it.',
            [
                new Port('segments', PortType::Segments, 'Segments made by region merging.'),
                new Port('tree', PortType::Tree, 'Merge tree of these segments.'),
            ],
            [Setting::number('merge-limit', null, 'New merge limit: above that of the segments, up to four times as high.', null, 1e-6, 1e9, required: true)],
            [new Port('segments', PortType::Segments, 'The coarser segments, numbered in image order.')],
            'Cutting a tree of joins at a height: Horowitz & Pavlidis 1976, Journal of the ACM 23:368–388 (from memory).',
            synonyms: ['merge tree', 'larger segments'],
            example: new Example(['merge-limit' => '25']),
            figures: [
                Figure::number('segments', 'segments'),
                Figure::number('before', 'segments before'),
            ],
            desk: new Desk(3, ['at {merge-limit}'], evidence: [new Evidence('shading')]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $image = $call->image('segments');
        $tree = MergeTree::read($call->path('tree'));
        $limit = $call->number('merge-limit');
        $settings = (array) ($tree->made['settings'] ?? []);
        $own = is_numeric($settings['merge-limit'] ?? null) ? (float) $settings['merge-limit'] : null;
        $highest = $tree->height === [] ? 0.0 : max($tree->height);
        if ($own !== null && ($limit < $own || $limit > max(4.0 * $own, $highest))) {
            throw Problem::call(sprintf('The tree covers merge limits from %g to %g: %g is outside.', $own, max(4.0 * $own, $highest), $limit), 'merge-limit');
        }
        $most = (int) (Histogram::moments($image, 0, $call->context->part(0.0, 0.2), 0)->maximum);
        if ($most > $tree->leaves) {
            throw Problem::input("{$image->name()} has segments up to $most, and the tree knows {$tree->leaves}: it came with others.", 'tree');
        }

        return Renumbered::write($work->part(0.2, 1.0), $image, [0, ...$tree->cut($limit)]) + ['before' => $tree->leaves];
    }
}
