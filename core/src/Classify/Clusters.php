<?php

namespace Chorometra\Core\Classify;

use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Classify\Classifiers\NearestMean;
use Chorometra\Core\Classify\Clustering\PixelSample;
use Chorometra\Core\Classify\Models\Mapping;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Stats\Clustering;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;

/** Groups of like pixels, found without training areas. */
final class Clusters implements Kind
{
    /** Pixels that the curve is drawn from. */
    private const CURVE = 5_000;

    /** Clusters that a curve runs beyond those wanted, and that there are at most. */
    private const BEYOND = 4;

    private const MOST = 64;

    /** What the sample of the whole is, where centres move over all of it afterwards. */
    private const START = 200_000;

    public function declaration(): Declaration
    {
        return new Declaration(
            'classify.clusters',
            'Unsupervised classification',
            'Groups similar pixels into clusters without training areas; you name the clusters afterwards.',
            [
                new Port('images', PortType::Image, 'Images on one grid: dates, indices, textures.', many: true, wants: Wants::Scene),
                new Port('mask', PortType::Classes, 'Cloud mask; its pixels are excluded.', required: false),
            ],
            [
                Setting::choice('method', ['k-means', 'isodata'], 'k-means', 'Clustering method.', [
                    'k-means' => 'a fixed number of clusters, each pixel in the nearest',
                    'isodata' => 'wide clusters are split and close ones merged during the iterations',
                ]),
                Setting::whole('classes', 8, 'Number of clusters.', null, 2, self::MOST),
                Setting::texts('bands', 'Bands to cluster by, such as before.nir. Empty: all.'),
                Setting::texts('names', 'Short names of the images in order, such as before, after. Empty: a, b, c …; a single image needs none.'),
                Setting::whole('iterations', 50, 'Largest number of iterations.', null, 1, 1000),
                Setting::number('tolerance', 0.1, 'Iteration ends when no centre moves by more than this share of the mean standard deviation of the '
                    .'bands.', '%', 0, 100),
                Setting::number('least', 1, 'Clusters with a smaller share of the pixels are removed.', '%', 0, 50)->onlyFor('method=isodata'),
                Setting::number(
                    'split',
                    0.6,
                    'A cluster that is wider than this in a band is split.',
                    'deviations of the band',
                    0.01,
                    10,
                )->onlyFor('method=isodata'),
                Setting::number('join', 0.3, 'Two clusters closer than this are merged.', 'deviations of the bands', 0, 10)->onlyFor('method=isodata'),
                Setting::choice('standardise', ['as-fits', 'yes', 'no'], 'as-fits', 'Divide values by their standard deviation.', [
                    'as-fits' => 'if the bands differ in unit or have none',
                ]),
                Setting::whole('sample', 200_000, 'Number of sample pixels from which the centres are computed; 0: the whole image.', 'pixels', 0, 2_000_000),
                Setting::texts('leave-out', 'Mask classes to exclude, by name or by code as #1. Empty: all but clear, water and snow.'),
                Setting::whole('seed', 1, 'Random seed.', null, 0),
            ],
            [
                new Port('classes', PortType::Classes, 'The clusters, numbered from the darkest in the first band.'),
                new Port('confidence', PortType::Image, 'Relative closeness to the nearest cluster compared with the second nearest, 0 to 1, and the '
                    .'distance to it.', required: false),
                new Port('model', PortType::Model, 'The cluster centres, to apply to other images.', required: false, endings: ['.json']),
            ],
            'Lloyd 1982, IEEE Transactions on Information Theory 28:129–137; first centres: Arthur & Vassilvitskii 2007, k-means++, SODA, 1027–1035; '
                .'isodata: Ball & Hall 1965, as described by Tou & Gonzalez 1974, Pattern Recognition Principles, section 3.3.5 (from memory).',
            synonyms: ['k-means', 'isodata', 'clustering'],
            learns: Learning::Overview,
            example: new Example(['classes' => '3', 'iterations' => '10']),
            figures: [
                Figure::number('found', 'clusters'),
                Figure::number('turns', 'iterations'),
                Figure::number('learnt-from', 'sample for the centres', 'pixels'),
                Figure::share('left', 'variance within clusters'),
                Figure::curve('curve', 'number of clusters', ['clusters' => null, 'variance left' => '%']),
                Figure::apart('centres'),
            ],
            desk: new Desk(
                6,
                ['{classes} by {method}'],
                evidence: [new Evidence('clusters', makes: 'classify.recode'), new Evidence('named-bands', ['names', 'bands'])],
            ),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $whole = $call->learning();
        $learnt = FeatureTable::of($whole, $call->texts('bands'));
        $wanted = $call->whole('classes');
        $work->reserve(960 * max($call->whole('sample'), self::START), 'take a smaller sample');
        $columns = PixelSample::of($learnt, $call->whole('sample') ?: self::START, $call->whole('seed'), $call->context->part(0.0, 0.2));
        $count = count($columns[0] ?? []);
        if ($count < 2) {
            throw Problem::input('Fewer than two pixels are valid in all of these bands: there is nothing to cluster.', 'images');
        }
        $moments = array_map(Moments::of(...), $columns);
        $deviations = array_map(fn (Moments $some): float => sqrt($some->squares / $some->count), $moments);
        $isStandard = match ($call->text('standardise')) {
            'yes' => true,
            'no' => false,
            default => count(array_unique($learnt->units, SORT_REGULAR)) > 1 || ($learnt->units[0] === null && count($learnt->units) > 1),
        };
        $scales = array_map(fn (float $deviation): float => $isStandard && $deviation > 0.0 ? $deviation : 1.0, $deviations);
        $scaled = array_map(
            fn (array $column, float $scale): array => $scale === 1.0 ? $column : array_map(fn (float $value): float => $value / $scale, $column),
            $columns,
            $scales,
        );
        $curve = self::curve($scaled, $count, $wanted, $call);
        $found = self::found($scaled, $count, $call);
        $centres = array_map(
            fn (array $centre): array => array_map(fn (float $value, float $scale): float => $value * $scale, $centre, $scales),
            $found->centres,
        );
        $turns = $found->turns;
        if ($call->whole('sample') === 0) {
            [$centres, $more] = self::settled($learnt, $centres, $scales, $deviations, $call);
            $turns += $more;
        }
        usort($centres, fn (array $one, array $other): int => $one <=> $other);
        $model = self::model($learnt, $centres, $scales, $moments, $columns, $scaled, $isStandard);
        $total = array_sum(array_map(fn (Moments $some, float $scale): float => $some->squares / $scale ** 2, $moments, $scales));
        $figures = [
            'found' => count($centres),
            'turns' => $turns,
            'learnt-from' => $count,
            'left' => $total > 0.0 ? $found->squares / $total : 0.0,
            'curve' => $curve,
            'centres' => ['bands' => $learnt->names, 'units' => $learnt->units, 'rows' => $centres],
        ];
        if (isset($call->outputs['model'])) {
            Document::write($call->outputs['model'], $model->document());
        }
        $on = $whole === $call ? $learnt : FeatureTable::of($call, $call->texts('bands'));

        return $figures + (new Mapping($model, $on))->write($call, $work->part(0.6, 1.0));
    }

    /** @param  list<list<float>>  $columns */
    private static function found(array $columns, int $count, Call $call): Clustering
    {
        $wanted = $call->whole('classes');
        $seeds = Clustering::seeds($columns, $count, $wanted, $call->whole('seed'));
        $call->context->report(0.35, 'finding clusters');

        return $call->text('method') === 'k-means'
            ? Clustering::means($columns, $count, $seeds, $call->whole('iterations'), $call->share('tolerance'))
            : Clustering::isodata($columns, $count, $seeds, $wanted, (int) ceil($call->share('least') * $count), $call->number('split'), $call->number('join'),
                $call->whole('iterations'));
    }

    /**
     * Variance that is left within clusters, by their number.
     *
     * @param  list<list<float>>  $columns
     * @return list<array{clusters: int, 'variance left': float}>
     */
    private static function curve(array $columns, int $count, int $wanted, Call $call): array
    {
        if ($call->context->trial) {
            return [];
        }
        $step = max(1, intdiv($count, self::CURVE));
        $some = array_map(fn (array $column): array => array_map(fn (int $i): float => $column[$i], range(0, $count - 1, $step)), $columns);
        $number = count($some[0]);
        $total = array_sum(array_map(fn (array $column): float => Moments::of($column)->squares, $some));
        $curve = [];
        $most = min(self::MOST, $wanted + self::BEYOND);
        for ($clusters = 1; $clusters <= $most; $clusters++) {
            $centres = Clustering::seeds($some, $number, $clusters, $call->whole('seed'));
            if (count($centres) < $clusters) {
                break;
            }
            $left = $total > 0.0 ? Clustering::means($some, $number, $centres, 20, 0.001)->squares / $total : 0.0;
            $curve[] = ['clusters' => $clusters, 'variance left' => $left];
            $call->context->grow('curve', [$clusters, $left]);
            $call->context->report(0.2 + 0.15 * $clusters / $most, 'comparing numbers of clusters');
        }

        return $curve;
    }

    /**
     * Centres moved over the whole image until they stay.
     *
     * @param  list<list<float>>  $centres
     * @param  list<float>  $scales
     * @param  list<float>  $deviations
     * @return array{list<list<float>>, int}
     */
    private static function settled(FeatureTable $there, array $centres, array $scales, array $deviations, Call $call): array
    {
        $bands = count($scales);
        $spread = sqrt(array_sum(array_map(fn (float $deviation, float $scale): float => ($deviation / $scale) ** 2, $deviations, $scales)) / $bands);
        $turns = $call->whole('iterations');
        for ($turn = 1; $turn <= $turns; $turn++) {
            $now = PixelSample::means($there, $centres, $scales, $call->context->part(0.4 + 0.2 * ($turn - 1) / $turns, 0.4 + 0.2 * $turn / $turns));
            $moved = 0.0;
            foreach ($now as $cluster => $centre) {
                $squares = array_sum(
                    array_map(fn (float $a, float $b, float $scale): float => (($a - $b) / $scale) ** 2, $centre, $centres[$cluster], $scales),
                );
                $moved = max($moved, sqrt($squares));
            }
            $centres = $now;
            if ($moved <= $call->share('tolerance') * $spread) {
                break;
            }
        }

        return [$centres, min($turn, $turns)];
    }

    /**
     * @param  list<list<float>>  $centres
     * @param  list<float>  $scales
     * @param  list<Moments>  $moments
     * @param  list<list<float>>  $columns  of the sample, and the same scaled
     * @param  list<list<float>>  $scaled
     */
    private static function model(FeatureTable $there, array $centres, array $scales, array $moments, array $columns, array $scaled, bool $isStandard): Model
    {
        $own = array_map(fn (array $centre): array => array_map(fn (float $value, float $scale): float => $value / $scale, $centre, $scales), $centres);
        $spreads = Clustering::means($scaled, count($scaled[0]), $own, 0)->spreads($scaled);
        $bands = array_map(fn (string $name, ?string $unit, Moments $some): array => [
            'name' => $name, 'unit' => $unit, 'mean' => $some->mean, 'deviation' => sqrt($some->squares / $some->count),
            'minimum' => $some->minimum, 'maximum' => $some->maximum,
        ], $there->names, $there->units, $moments);

        return new Model(NearestMean::method(), self::legend($there, $centres, $columns), $bands,
            ['standardised' => $isStandard, 'scales' => $scales, 'means' => $centres, 'spreads' => $spreads]);
    }

    /**
     * Clusters have no name that would suggest a colour: each starts in the mean colour of its pixels, as views show the image.
     *
     * @param  list<list<float>>  $centres
     * @param  list<list<float>>  $columns  of the sample
     */
    private static function legend(FeatureTable $there, array $centres, array $columns): Legend
    {
        $names = array_map(fn (int $k): string => "cluster $k", range(1, count($centres)));
        $bands = self::shown($there->names);
        if ($bands === null) {
            return Legend::of($names, self::hues(count($centres)));
        }
        $limits = array_map(function (int $band) use ($columns): array {
            $sorted = $columns[$band];
            sort($sorted);
            $last = count($sorted) - 1;

            return [$sorted[(int) (0.02 * $last)], $sorted[(int) (0.98 * $last)]];
        }, $bands);
        $byte = fn (float $value, array $limits): int => (int) round(255 * max(0.0, min(1.0, ($value - $limits[0]) / max(1e-30, $limits[1] - $limits[0]))));

        return Legend::of($names, array_map(fn (array $centre): string => sprintf(
            '#%02x%02x%02x',
            ...array_map(fn (int $band, array $limits): int => $byte($centre[$band], $limits), $bands, $limits),
        ), $centres));
    }

    /**
     * Which bands views show as red, green and blue; null where they make no colour together.
     *
     * @param  list<string>  $names  such as nir, or before.nir: of several images the first is shown
     * @return array{int, int, int}|null
     */
    private static function shown(array $names): ?array
    {
        $roles = array_map(fn (string $name): string => substr((string) strrchr(".$name", '.'), 1), $names);
        foreach ([['nir', 'red', 'green'], ['red', 'green', 'blue'], ['hh', 'hv', 'vv']] as $wanted) {
            $places = array_map(fn (string $role): int|false => array_search($role, $roles, true), $wanted);
            if (! in_array(false, $places, true)) {
                return $places;
            }
        }

        return count($names) === 1 ? [0, 0, 0] : null;
    }

    /**
     * Round the circle of hues, so that no two are alike.
     *
     * @return list<string>
     */
    private static function hues(int $number): array
    {
        return array_map(function (int $k) use ($number): string {
            $lightness = $k % 2 === 0 ? 0.62 : 0.42;
            $channel = function (float $shift) use ($k, $number, $lightness): int {
                $angle = fmod($shift + 12.0 * $k / $number, 12.0);

                return (int) round(255 * ($lightness - 0.5 * min($lightness, 1.0 - $lightness) * max(-1.0, min($angle - 3.0, 9.0 - $angle, 1.0))));
            };

            return sprintf('#%02x%02x%02x', $channel(0.0), $channel(8.0), $channel(4.0));
        }, range(0, $number - 1));
    }
}
