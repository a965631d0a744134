<?php

namespace Chorometra\Core\Compare;

use Chorometra\Core\Compare\Alteration\Detection;
use Chorometra\Core\Compare\Dates\Readiness;
use Chorometra\Core\Compare\Dates\Stable;
use Chorometra\Core\Compare\Dates\TwoDates;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\HasPrechecks;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Context;

/** Multivariate alteration detection: change in all bands together, whatever gains and offsets lie between the dates. */
final class Mad implements HasPrechecks, Kind
{
    /** Fewer bands than that do not hold a reweighting: it runs away into a handful of pixels. */
    private const LEAST_TO_REWEIGHT = 3;

    /** Pixels for each band that must carry weight, so that a round tells anything. */
    private const PIXELS_PER_BAND = 4;

    public function declaration(): Declaration
    {
        return new Declaration(
            'compare.mad',
            'Multivariate alteration detection',
            'Finds change between two dates in all bands together, independent of gain and offset between them.',
            TwoDates::ports(),
            [
                TwoDates::setting(),
                Setting::whole('reweightings', 5, 'Largest number of iterations in which pixels are weighted by their probability of no change, for three '
                    .'bands or more; 0: none.', null,
                    0, 30),
                Setting::number('at-most', 1.0, 'A pixel counts as changed where its probability of no change is at most this. After reweighting, many '
                    .'unchanged pixels fall below it too: choose it by looking.', '%', 0, 100),
            ],
            [
                new Port('probability', PortType::Image, 'Probability of no change, the chi-square statistic behind it, and its square root.'),
                new Port('variates', PortType::Image, 'The MAD variates: differences of canonical variates, the one with most change last.', required: false),
                new Port('changes', PortType::Classes, 'Change and no change, by the probability.', required: false),
            ],
            'Nielsen, Conradsen & Simpson 1998, Remote Sensing of Environment 64:1–19; Nielsen 2007, IEEE Transactions on Image Processing 16:463–478 '
                .'(from memory). Weights are the probabilities of no change; the number of rounds is fixed, since with few bands they have no useful limit.',
            synonyms: ['MAD', 'IR-MAD', 'change detection', 'canonical correlation'],
            learns: Learning::Overview,
            example: new Example(['reweightings' => '2']),
            figures: [
                Figure::list('against', 'comparability of the dates'),
                Figure::number('pixels', 'fitted to', 'pixels'),
                Figure::share('weight', 'effective number in the last iteration'),
                Figure::text('stopped', 'reweighting'),
                Figure::table('correlations', 'canonical correlations', []),
                Figure::table('drives', 'correlation of variates with bands', []),
                Figure::text('driven', 'summary'),
                ...Stable::figures(),
            ],
            desk: new Desk(3, ['{reweightings} times reweighted'], evidence: [new Evidence('readiness'), new Evidence('tails', ['at-most'])]),
        );
    }

    public function against(Call $call): array
    {
        return Readiness::of($this->dates($call));
    }

    public function run(Call $call, Work $work): array
    {
        $dates = $this->dates($call);
        $labels = $dates->labels();
        $number = count($labels);
        $learning = $call->learning();
        $seen = $learning === $call ? $dates : $this->dates($learning);
        $table = Detection::table($number);
        [$detection, $figures] = $this->learnt($call, $seen, $table);
        $variates = $detection->variates();
        $spec = $dates->spec();
        $specs = [
            'probability' => $spec->measured(
                [new Band(name: 'no-change probability', scale: Scale::Probability), new Band(name: 'chi-square'), new Band(name: 'distance')],
            ),
            'variates' => $spec->measured(array_map(fn (int $k): Band => new Band(name: 'variate '.($k + 1), scale: Scale::Signed), range(0, $number - 1))),
            'changes' => RasterSpec::classes($spec->grid, new Legend([
                1 => ['name' => 'unchanged', 'colour' => '#d5d2c8'],
                2 => ['name' => 'changed', 'colour' => '#8a3b5e'],
            ]), $spec->properties),
        ];
        $most = $call->share('at-most');
        $made = function (Window $window) use ($dates, $detection, $variates, $table): array {
            $values = $dates->values($window);
            $count = count($values[0]);
            $found = $variates($values, $count);
            $chi = $detection->chiSquare($found, $count);

            return [Detection::probabilities($chi, $count, $table), $chi, $found];
        };
        $figures = Readiness::figures($call, $dates) + $figures;
        $stable = Stable::of($call, $spec->grid);
        if ($stable !== null) {
            $figures['stable'] = $stable->rows(
                $dates,
                ['no-change probability'],
                fn (Window $window): array => [$made($window)[0]],
                fn (array $values): int => count(array_filter($values, fn (float $probability): bool => $probability <= $most)),
                $call->context->part(0.58, 0.65),
            );
        }
        $nodata = $specs['changes']->nodataCode();
        $isMapped = isset($call->outputs['changes']);

        return $figures + $work->part(0.65, 1.0)->make($specs, function (Window $window) use ($made, $most, $nodata, $isMapped): array {
            [$probabilities, $chi, $found] = $made($window);

            return ['probability' => [$probabilities, $chi, self::root($chi, count($chi))], 'variates' => $found]
                + ($isMapped ? ['changes' => [self::changed($probabilities, count($probabilities), $most, $nodata)]] : []);
        }, 4 * $number);
    }

    private function dates(Call $call): TwoDates
    {
        $dates = TwoDates::of($call);
        $number = count($dates->bands);
        if ($number < self::LEAST_TO_REWEIGHT && $call->whole('reweightings') > 0) {
            throw Problem::call(
                sprintf('Reweighting needs three bands or more, and there %s: take 0 reweightings, or more bands.', $number === 1 ? 'is 1' : "are $number"),
                'reweightings',
            );
        }

        return $dates;
    }

    /**
     * The rounds.
     *
     * @param  list<float>  $table
     * @return array{Detection, array<string, mixed>}
     */
    private function learnt(Call $call, TwoDates $dates, array $table): array
    {
        $rounds = $call->whole('reweightings');
        $labels = $dates->labels();
        $part = fn (int $round): Context => $call->context->part(0.58 * $round / ($rounds + 1), 0.58 * ($round + 1) / ($rounds + 1));
        $moments = $this->moments($dates, $part(0));
        if ($moments->count < 2 * count($moments->means) + 2) {
            throw Problem::input('The two dates have too few pixels that are valid in all bands: there is nothing to compare.', 'before');
        }
        $detection = Detection::of($moments) ?? throw Problem::input(
            'Some bands of one date are made of the others, or have one value only: leave them out with the setting bands.', 'bands');
        if (! $detection->tells()) {
            throw Problem::input('The two dates differ only by a gain and an offset: nothing changed.', 'after');
        }
        $figures = ['pixels' => $moments->count];
        $row = fn (int $round, Detection $detection): array => ['round' => $round] + array_combine(
            array_map(fn (int $k): string => 'variate '.($k + 1), array_keys($labels)),
            $detection->canonical->correlations,
        );
        $figures['correlations'][] = $row(0, $detection);
        for ($round = 1; $round <= $rounds; $round++) {
            $next = $this->reweighted($dates, $detection, $table, $moments->count, $part($round));
            if ($next === null || ! $next->tells() || $next->total < self::PIXELS_PER_BAND * count($labels)) {
                $figures['stopped'] = sprintf('stopped after %d of %d rounds: the next would have rested on too few pixels', $round - 1, $rounds);
                break;
            }
            $detection = $next;
            $figures['correlations'][] = $row($round, $detection);
        }

        return [$detection, $figures + ['weight' => $detection->total / $moments->count] + $this->drives($detection->drives($moments->covariances()), $labels)];
    }

    private function moments(TwoDates $dates, Context $context): Comoments
    {
        $sum = new Comoments;
        $dates->pass()->gather($context, 'gathering statistics', function (Window $window) use ($dates): Comoments {
            $values = $dates->values($window);

            return Comoments::of($values, count($values[0]));
        }, function (Comoments $part) use (&$sum): void {
            $sum = $sum->merge($part);
        });

        return $sum;
    }

    /** @param  list<float>  $table */
    private function reweighted(TwoDates $dates, Detection $detection, array $table, int $pixels, Context $context): ?Detection
    {
        $variates = $detection->variates();
        $parts = $dates->pass()->all($context, 'reweighting', function (Window $window) use ($dates, $detection, $variates, $table): array {
            $values = $dates->values($window);
            $count = count($values[0]);
            $weights = Detection::probabilities($detection->chiSquare($variates($values, $count), $count), $count, $table);

            return Comoments::weighted($values, $weights, $detection->means, $count);
        });
        $total = 0.0;
        $sums = array_fill(0, count($detection->means), 0.0);
        $products = array_fill(0, count($sums), $sums);
        foreach ($parts as [$weight, $some, $square]) {
            $total += $weight;
            foreach ($some as $i => $sum) {
                $sums[$i] += $sum;
                foreach ($square[$i] as $j => $product) {
                    $products[$i][$j] += $product;
                }
            }
        }

        return Detection::weighted($total, $detection->means, $sums, $products, $pixels);
    }

    /**
     * @param  list<list<float>>  $drives  by variate and band
     * @param  list<string>  $labels
     * @return array<string, mixed>
     */
    private function drives(array $drives, array $labels): array
    {
        $bands = [...array_map(fn (string $label): string => "$label before", $labels), ...array_map(fn (string $label): string => "$label after", $labels)];
        $names = array_map(fn (int $k): string => 'variate '.($k + 1), array_keys($drives));
        $rows = [];
        foreach ($bands as $band => $label) {
            $rows[] = ['band' => $label] + array_combine($names, array_column($drives, $band));
        }
        $driven = [];
        foreach ($drives as $k => $along) {
            $sizes = array_map(abs(...), $along);
            $band = (int) array_search(max($sizes), $sizes, true);
            $driven[] = sprintf('variate %d: %s (%+.2f)', $k + 1, $bands[$band], $along[$band]);
        }

        return ['drives' => $rows, 'driven' => 'most of '.implode('; ', $driven)];
    }

    /**
     * @param  list<float>  $values
     * @return list<float>
     */
    public static function root(array $values, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = sqrt($values[$i]);
        }

        return $values;
    }

    /**
     * @param  list<float>  $probabilities
     * @return list<int>
     */
    public static function changed(array $probabilities, int $count, float $most, int $nodata): array
    {
        $codes = array_fill(0, $count, 0);
        for ($i = 0; $i < $count; $i++) {
            $value = $probabilities[$i];
            $codes[$i] = $value <= $most ? 2 : ($value === $value ? 1 : $nodata);
        }

        return $codes;
    }
}
