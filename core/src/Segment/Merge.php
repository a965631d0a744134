<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Regions\Numbers\Renumbered;
use Chorometra\Core\Segment\Merging\Ladder;
use Chorometra\Core\Segment\Merging\LimitCurve;
use Chorometra\Core\Segment\Merging\MergedBands;
use Chorometra\Core\Segment\Merging\MergeKernel;
use Chorometra\Core\Segment\Merging\Pieces;
use Chorometra\Core\Segment\Merging\RegionGraph;
use Chorometra\Core\Segment\Merging\SegmentNumbers;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\NamedImages;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Memory;

/** Neighbouring pixels and pieces joined while they are alike, into segments. */
final class Merge implements Kind
{
    private const MOST_BANDS = 60;

    /** Bytes for each piece beside its record: edges, lists, costs, numbers. */
    private const PIECE = 640;

    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.merge',
            'Segmentation by region merging',
            'Merges neighbouring pixels and segments that are alike, until every further merge would exceed a limit of heterogeneity.',
            [
                new Port(
                    'images',
                    PortType::Image,
                    'One or several images on one grid, such as two dates segmented together.',
                    many: true,
                    wants: Wants::Reflectance,
                ),
                new Port('start', PortType::Segments, 'Segments to start from instead of pixels, such as parcels.', required: false),
                new Port('within', PortType::Classes, 'A class map: only pixels of the chosen classes are segmented; elsewhere the start segments are '
                    .'kept.', required: false),
            ],
            [
                Setting::texts('names', 'Short names of the images in order, such as before, after. Empty: a, b, c …; a single image needs none.'),
                Setting::texts('bands', 'Bands to segment by, such as red, nir; for several images before.red, after.red. Empty: all optical bands.'),
                Setting::numbers('weights', 'Weight of each band, in order. Empty: equal weights.'),
                Setting::number('merge-limit', 20.0, 'Square root of the merge cost at which merging ends; higher values make larger '
                    .'segments.', null, 1e-6, 1e9),
                Setting::number('form', 10.0, 'Weight of shape in the cost; the rest is the weight of band values.', '%', 0, 90),
                Setting::number('compactness', 50.0, 'Weight of compactness in shape; the rest is the weight of smoothness.', '%', 0, 100),
                Setting::choice('scale', ['deviation', 'none'], 'deviation', 'Scaling of the bands.', [
                    'deviation' => 'each divided by its standard deviation over the image, times ten; independent of units',
                    'none' => 'unscaled; the unit decides the effective weight of shape',
                ]),
                Setting::whole('minimum', 1, 'Smaller segments are merged into the neighbour with the lowest cost.', 'pixels', 1, 10_000_000),
                Setting::texts('codes', 'Classes of the map to segment, by name or by code as #1.'),
            ],
            [
                new Port('segments', PortType::Segments, 'The segments, numbered in image order.'),
                new Port('tree', PortType::Tree, 'The merge tree, up to four times the limit.', required: false, endings: ['.npz']),
            ],
            'Cost: Baatz & Schäpe 2000, Angewandte Geographische Informationsverarbeitung XII:12–23. Best mutual neighbours, limits that double, and '
                .'pieces before the first: docs/segments.md (common practice, no source).',
            synonyms: ['objects', 'object-based', 'region growing'],
            learns: Learning::Overview,
            example: new Example(['merge-limit' => '12', 'minimum' => '3']),
            figures: [
                Figure::number('segments', 'segments'),
                Figure::number('meanSize', 'mean size', 'pixels'),
                Figure::share('formShare', 'share of shape in the total cost'),
                Figure::number('joined', 'merged for their size'),
                Figure::apart('limits'),
                Figure::apart('proposals'),
                Figure::apart('pixels'),
                Figure::apart('leaves'),
                Figure::table('rungs', 'limits during merging', ['limit' => null, 'joined' => null, 'segments' => null]),
                Figure::table('bands', 'bands', ['band' => null, 'share' => '%', 'deviation' => null, 'divided-by' => null]),
                Figure::list('leftOut', 'left out, constant bands'),
            ],
            desk: new Desk(
                2,
                ['at {merge-limit}'],
                evidence: [
                    new Evidence('shading'),
                    new Evidence('limit', ['merge-limit', 'form', 'compactness']),
                    new Evidence('named-bands', ['names', 'bands', 'weights']),
                ],
                trialSide: 512,
            ),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $images = NamedImages::of($call);
        $bands = $this->bands($call, $images);
        $work->reserve(Pieces::memory(count($bands), $call->context->workers), 'use fewer bands');
        $weights = $this->weights($call, array_keys($bands));
        $within = $this->within($call, $images->first());
        [$deviations, $differences] = $this->spread($call, $bands, $within);
        $isScaled = $call->text('scale') === 'deviation';
        $told = $left = [];
        $factors = [];
        foreach (array_keys($bands) as $k => $name) {
            // of a band that is the same everywhere rounding alone is left
            $isFlat = $deviations[$k] <= 0.0 || ! is_finite($deviations[$k]);
            $divisor = $isScaled && ! $isFlat ? $deviations[$k] / MergedBands::SCALE : 1.0;
            $factors[] = $isFlat ? 0.0 : $weights[$k] * (1.0 - $call->share('form')) / $divisor;
            $told[] = ['band' => $name, 'share' => $weights[$k] / array_sum($weights), 'deviation' => $deviations[$k], 'divided-by' => $divisor];
            $left = $isFlat ? [...$left, $name] : $left;
        }
        $ladder = Ladder::to(
            $call->number('merge-limit'),
            array_sum(array_map(fn (float $factor, float $deviation): float => $factor * $deviation, $factors, $deviations)),
            array_sum(array_map(fn (float $factor, float $difference): float => $factor * $difference, $factors, $differences)),
        );
        [$compact, $smooth] = [$call->share('form') * $call->share('compactness'), $call->share('form') * (1.0 - $call->share('compactness'))];
        $pieces = $this->pieces($call, array_values($bands), $within, $factors, $ladder, $compact, $smooth);
        if ($pieces->pixels === 0) {
            throw Problem::input("No pixel is valid in all of these bands{$this->there($within)}: there is nothing to segment.", 'images');
        }
        $graph = $this->graph($pieces, count($bands), $compact, $smooth, $ladder->quantum(), $call);
        $call->context->report(0.5, 'joining pieces');
        if ($call->context->trial) {
            $figures = ['bands' => $told] + ($left === [] ? [] : ['leftOut' => $left]);

            return $this->tried($call, $work, $graph, $pieces, $ladder, [$compact, $smooth], $this->counting($weights, $factors), $figures);
        }
        $ladder->climb($graph);
        $rungs = $this->rungs($graph, $pieces);
        $call->context->report(0.7, 'joining the smallest');
        $joined = $call->whole('minimum') > 1 ? $graph->absorb($call->whole('minimum')) : 0;
        [$labels, $leaves] = SegmentNumbers::of($pieces->ids, ...array_slice($graph->joins(), 0, 2));
        $segments = count($leaves);
        $figures = [
            'segments' => $segments,
            'meanSize' => $pieces->pixels / $segments,
            'formShare' => $graph->formShare($compact, $smooth),
            'rungs' => $rungs,
            'bands' => $told,
        ] + ($joined > 0 ? ['joined' => $joined] : []) + ($left === [] ? [] : ['leftOut' => $left]) + $this->warning($segments, $pieces->pixels, $joined);
        if (isset($call->outputs['tree'])) {
            $call->context->report(0.75, 'joining further, for the tree');
            $ladder->tree($graph, $ladder->limit, $leaves, $call->provenance())->write($call->outputs['tree']);
        }
        unset($graph, $leaves);

        return $figures + $this->paint($call, $work, $pieces, $labels);
    }

    /**
     * A trial begins at the lowest rung, and its tree has all that follow: the limit is drawn along it.
     *
     * @param  array{float, float}  $form  weights of compactness and smoothness
     * @param  list<float>  $weights
     * @param  array<string, mixed>  $figures
     * @return array<string, mixed>
     */
    private function tried(Call $call, Work $work, RegionGraph $graph, Pieces $pieces, Ladder $ladder, array $form, array $weights, array $figures): array
    {
        $graph->climb($ladder->lowest());
        [$labels, $leaves] = SegmentNumbers::of($pieces->ids, ...array_slice($graph->joins(), 0, 2));
        $curve = LimitCurve::of($graph, $leaves, $weights);
        $formShare = $ladder->lowest() === $ladder->limit ? $graph->formShare(...$form) : 0.0;
        $tree = $ladder->tree($graph, $ladder->lowest(), $leaves, $call->provenance(), function (float $rung) use ($graph, $ladder, $form, &$formShare): void {
            $formShare = $rung === $ladder->limit ? $graph->formShare(...$form) : $formShare;
        });
        isset($call->outputs['tree']) && $tree->write($call->outputs['tree']);
        $segments = $tree->leaves - count(array_filter($tree->height, fn (float $height): bool => $height <= $ladder->limit));
        $rows = $curve->along($tree, $ladder->lowest(), max($ladder->beyond()));

        return [
            'segments' => $segments,
            'meanSize' => $pieces->pixels / $segments,
            'formShare' => $formShare,
            'limits' => $rows,
            'proposals' => LimitCurve::proposals($rows),
            'pixels' => $pieces->pixels,
            'leaves' => $tree->leaves,
        ] + $figures + $this->paint($call, $work, $pieces, $labels);
    }

    /**
     * @param  list<int>  $labels  by number of the piece
     * @return array<string, mixed>
     */
    private function paint(Call $call, Work $work, Pieces $pieces, array $labels): array
    {
        $images = NamedImages::of($call);
        $spec = $images->first()->spec();

        return $work->part(0.85, 1.0)->make(
            ['segments' => RasterSpec::segments($spec->grid, $images->properties())],
            fn (Window $window): array => ['segments' => [Renumbered::mapped(
                $pieces->numbers($window->row, $window->height),
                $labels,
                $window->pixels(),
            )]],
        );
    }

    /**
     * @param  list<float>  $weights
     * @param  list<float>  $factors
     * @return list<float> 0 for bands that are left out
     */
    private function counting(array $weights, array $factors): array
    {
        return array_map(fn (float $weight, float $factor): float => $factor > 0.0 ? $weight : 0.0, $weights, $factors);
    }

    /**
     * How much each band varies: over all of the images, also where a part of them is tried; and what its pixels differ by, which coarser ones don't show.
     *
     * @param  array<string, array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within
     * @return array{list<float>, list<float>}
     */
    private function spread(Call $call, array $bands, ?array $within): array
    {
        [$deviations, $differences] = MergedBands::spread(array_values($bands), $within, $call->context->part(0.0, 0.05));
        $whole = $call->learning();
        if ($whole !== $call) {
            $images = NamedImages::of($whole);
            [$deviations] = MergedBands::spread(array_values($this->bands($whole, $images)), $this->within($whole, $images->first()), $call->context);
        }

        return [$deviations, $differences];
    }

    /**
     * @param  list<array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within
     * @param  list<float>  $factors
     */
    private function pieces(Call $call, array $bands, ?array $within, array $factors, Ladder $ladder, float $compact, float $smooth): Pieces
    {
        $context = $call->context->part(0.05, 0.4);
        if (! $call->hasInput('start')) {
            return Pieces::of($bands, $within, $factors, $ladder, $compact, $smooth, $context);
        }
        $start = $call->image('start');
        if (! $start->spec()->grid->matches($bands[0][0]->spec()->grid)) {
            throw Problem::input("{$start->name()} is not on the grid of the images: resample it to that grid first.", 'start');
        }

        return Pieces::given($start, $bands, $within, $factors, $compact, $smooth, $context);
    }

    /** What takes much memory: as much as there are pieces. */
    private function graph(Pieces $pieces, int $bands, float $compact, float $smooth, float $quantum, Call $call): RegionGraph
    {
        Memory::reserve(
            count($pieces->ids) * (self::PIECE + 32 * MergeKernel::stride($bands)),
            $call->declaration->title,
            'use a part of the image, or smooth it first',
        );

        return new RegionGraph($pieces->records(), $pieces->ids, ...[...$pieces->edges(), $bands, $compact, $smooth, $quantum]);
    }

    /** @return array<string, array{Image, int}> by name */
    private function bands(Call $call, NamedImages $images): array
    {
        $named = $call->texts('bands');
        $bands = [];
        foreach ($images->images as $image => $one) {
            if ($one->spec()->content !== Content::Image) {
                throw Problem::input("{$one->name()} contains class codes, which have no distance to each other: choose an image of values.", 'images');
            }
            foreach ($named === [] ? $one->spec()->bands : [] as $index => $band) {
                if (! $band->isThermal() && $band->role !== 'quality' && $band->part !== 'phase') {
                    $bands[$images->called($image, $index)] = [$one, $index];
                }
            }
        }
        foreach ($named as $name) {
            $bands[$name] = $images->band($name, 'bands');
        }
        foreach ($bands as $name => [$image, $index]) {
            if ($image->spec()->bands[$index]->part === 'phase') {
                throw Problem::input("The band $name is a phase, which is cyclic and can't be averaged.", 'bands');
            }
        }
        if ($bands === [] || count($bands) > self::MOST_BANDS || (count($bands) !== count($named) && $named !== [])) {
            throw Problem::call(match (true) {
                $bands === [] => 'There is no band to segment by.',
                count($bands) > self::MOST_BANDS => 'At most '.self::MOST_BANDS.' bands are cut by at once.',
                default => 'A band is named twice: give it a weight instead.',
            }, 'bands');
        }

        return $bands;
    }

    /**
     * @param  list<string>  $bands
     * @return list<float>
     */
    private function weights(Call $call, array $bands): array
    {
        $weights = $call->numbers('weights');
        if ($weights === []) {
            return array_fill(0, count($bands), 1.0);
        }
        if (count($weights) !== count($bands)) {
            throw Problem::call(
                sprintf('There are %d weights for %d bands (%s): give one for each.', count($weights), count($bands), implode(', ', $bands)),
                'weights',
            );
        }
        if (min($weights) < 0 || array_sum($weights) <= 0) {
            throw Problem::call('Weights are 0 or more, and one of them at least is more: by nothing nothing can be cut.', 'weights');
        }

        return $weights;
    }

    /** @return array{Image, array<int, true>}|null */
    private function within(Call $call, Image $first): ?array
    {
        if (! $call->hasInput('within')) {
            return null;
        }
        $map = $call->image('within');
        OneGrid::check([$first, $map], 'within');
        $codes = ClassCodes::of($map, $call->texts('codes'), 'codes');

        return $codes === [] ? throw Problem::call("Choose the classes of {$map->name()} to segment.", 'codes') : [$map, $codes];
    }

    /** @param  array{Image, array<int, true>}|null  $within */
    private function there(?array $within): string
    {
        return $within === null ? '' : ' and one of the classes chosen';
    }

    /** @return list<array{limit: float, joined: int, segments: int}> */
    private function rungs(RegionGraph $graph, Pieces $pieces): array
    {
        $rows = [];
        $left = count($pieces->ids);
        foreach ($graph->rungs() as $k => ['limit' => $limit, 'joins' => $joins]) {
            $left -= $joins;
            // the pieces came together below the first limit, and belong to it
            $rows[] = ['limit' => $limit, 'joined' => $joins + ($k === 0 ? $pieces->pixels - count($pieces->ids) : 0), 'segments' => $left];
        }

        return $rows;
    }

    /** @return array<string, string> */
    private function warning(int $segments, int $valid, int $joined): array
    {
        return match (true) {
            $segments === 1 => ['warning' => 'All became one segment: take a lower limit.'],
            $segments === $valid && $joined === 0 => ['warning' => 'No two pixels joined: take a higher limit.'],
            default => [],
        };
    }
}
