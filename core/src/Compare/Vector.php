<?php

namespace Chorometra\Core\Compare;

use Chorometra\Core\Compare\Change\CentreAndSpread;
use Chorometra\Core\Compare\Change\Directions;
use Chorometra\Core\Compare\Change\Tails;
use Chorometra\Core\Compare\Dates\Readiness;
use Chorometra\Core\Compare\Dates\Stable;
use Chorometra\Core\Compare\Dates\TwoDates;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Condition;
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

/** Change as a vector over several bands: how far, and in which direction. */
final class Vector implements HasPrechecks, Kind
{
    /** Petals of the rose: directions are counted by ten degrees. */
    private const PETALS = 36;

    public function declaration(): Declaration
    {
        return new Declaration(
            'compare.vector',
            'Change vector analysis',
            'Computes magnitude and direction of the change of each pixel between two dates over several bands.',
            TwoDates::ports(),
            [
                TwoDates::setting(),
                CentreAndSpread::setting(),
                ...Tails::settings(false),
                Setting::number('tolerance', 0.0, 'Largest difference of a band that counts as unchanged in the direction code.', null, 0.0),
            ],
            [
                new Port('vector', PortType::Image, 'Magnitude and direction: in degrees for two bands, a code of signs for more.'),
                new Port('changes', PortType::Classes, 'Changed pixels by which bands increased, decreased or did not change; the rest is '
                    .'unchanged.', required: false,
                    only: Condition::of('limits=deviations|percentiles|values')),
            ],
            'Malila 1980, Proceedings of the 6th Symposium on Machine Processing of Remotely Sensed Data, 326–335 (from memory). The angle goes from the axis '
                .'of the first band towards that of the second.',
            synonyms: ['CVA', 'magnitude and direction of change'],
            learns: Learning::Overview,
            example: new Example(['bands' => 'red,nir', 'limits' => 'percentiles', 'above' => '95']),
            figures: [
                Figure::list('against', 'comparability of the dates'),
                Figure::number('middle', 'centre of the magnitude'),
                Figure::number('deviation', 'standard deviation'),
                Figure::number('above', 'limit of change'),
                Figure::table('signs', 'increase and decrease by band', ['direction' => null, 'pixels' => null, 'share' => '%']),
                Figure::apart('rose'),
                ...Stable::figures(),
            ],
            desk: new Desk(2, ['{bands}'], evidence: [new Evidence('readiness'), new Evidence('tails', ['limits', 'above']), new Evidence('rose')]),
        );
    }

    public function against(Call $call): array
    {
        return Readiness::of($this->dates($call));
    }

    public function run(Call $call, Work $work): array
    {
        Tails::check($call);
        $dates = $this->dates($call);
        $labels = $dates->labels();
        $number = count($labels);
        $tolerance = $call->number('tolerance');
        $directions = Directions::of($number, $tolerance);
        $learning = $call->learning();
        $seen = $learning === $call ? $dates : $this->dates($learning);
        $lengths = function (int $strip) use ($seen, $directions): \Generator {
            foreach ($seen->pass()->windows($strip) as $window) {
                $values = $seen->values($window);
                yield [$directions($values, count($values[0]))[0]];
            }
        };
        $areLimited = Tails::areWanted($call);
        $spread = $call->text('limits') === 'deviations' ? CentreAndSpread::of(
            $call->text('spread') === 'robust',
            $seen->pass()->strips(),
            $seen->pixels(),
            $lengths,
            $call->context->part(0.0, 0.3),
        )->check(['the magnitude']) : null;
        $limit = $areLimited ? Tails::of(
            $call,
            fn (): array => [$spread->middles[0] ?? NAN, $spread->deviations[0] ?? NAN],
            $seen->pass()->strips(),
            $seen->pixels(),
            $lengths,
            $call->context->part(0.3, 0.5),
        )->above : null;
        $spec = $dates->spec();
        $specs = ['vector' => $spec->measured([
            new Band(name: 'magnitude', unit: $dates->unit(0)),
            new Band(name: $number === 2 ? 'direction' : 'signs', unit: $number === 2 ? '°' : null, scale: $number === 2 ? Scale::Cyclic : null),
        ])];
        $counts = $this->counts($dates, $directions, $limit ?? 0.0, $call);
        if ($limit !== null) {
            // of many bands there are more signs than a legend can hold: those that there are
            $codes = $number === 2 ? range($tolerance > 0.0 ? 0 : 1, 8) : array_keys(array_filter($counts));
            $specs['changes'] = RasterSpec::classes($spec->grid, Directions::legend($labels, $codes), $spec->properties);
        }
        $figures = Readiness::figures($call, $dates)
            + ($spread === null ? [] : ['middle' => $spread->middles[0], 'deviation' => $spread->deviations[0]])
            + ($limit === null ? [] : ['above' => $limit])
            + self::figures($labels, $counts, $limit ?? 0.0);
        $made = fn (Window $window): array => $directions($values = $dates->values($window), count($values[0]));
        $stable = Stable::of($call, $spec->grid);
        if ($stable !== null) {
            $figures['stable'] = $stable->rows(
                $dates,
                ['magnitude'],
                fn (Window $window): array => [$made($window)[0]],
                $limit === null ? null : fn (array $values): int => count(array_filter($values, fn (float $length): bool => $length > $limit)),
                $call->context->part(0.55, 0.6),
            );
        }
        $nodata = isset($specs['changes']) ? $specs['changes']->nodataCode() : 0;
        $isMapped = isset($specs['changes'], $call->outputs['changes']);

        return $figures + $work->part(0.6, 1.0)->make(
            $specs,
            function (Window $window) use ($dates, $directions, $limit, $nodata, $isMapped, $tolerance): array {
                $values = $dates->values($window);
                $made = $directions($values, count($values[0]));

                return ['vector' => $made]
                    + ($isMapped ? ['changes' => [Directions::codes($made[0], $values, $limit ?? INF, count($made[0]), $nodata, $tolerance)]] : []);
            },
            2 * $number,
        );
    }

    private function dates(Call $call): TwoDates
    {
        $dates = TwoDates::of($call, 2);
        if (count($dates->bands) > Directions::MOST_BANDS) {
            throw Problem::call('The signs of at most '.Directions::MOST_BANDS.' bands have a code each: name fewer with the setting bands.', 'bands');
        }

        return $dates;
    }

    /** @return list<int> how many pixels beyond the limit went where: by petals of the rose, or by code of signs */
    private function counts(TwoDates $dates, \Closure $directions, float $limit, Call $call): array
    {
        $number = count($dates->bands);
        $bins = $number === 2 ? self::PETALS : 3 ** $number;
        $width = $number === 2 ? 360.0 / self::PETALS : 1.0;
        $sums = array_fill(0, $bins, 0);
        $context = $call->context->part(0.5, 0.55);
        $dates->pass()->gather($context, 'counting directions', function (Window $window) use ($dates, $directions, $limit, $bins, $width): array {
            $values = $dates->values($window);
            [$lengths, $ways] = $directions($values, count($values[0]));

            return self::counted($lengths, $ways, count($lengths), $limit, 1.0 / $width, $bins);
        }, function (array $counts) use (&$sums): void {
            foreach ($counts as $bin => $count) {
                $sums[$bin] += $count;
            }
        });

        return $sums;
    }

    /**
     * @param  list<string>  $labels
     * @param  list<int>  $counts
     * @return array<string, mixed>
     */
    private static function figures(array $labels, array $counts, float $limit): array
    {
        if (count($labels) === 2) {
            return ['rose' => ['bands' => $labels, 'limit' => $limit, 'counts' => $counts]];
        }
        $all = max(1, array_sum($counts));
        $legend = Directions::legend($labels, array_keys(array_filter($counts)));
        $rows = [];
        foreach (array_filter($counts) as $code => $count) {
            $rows[] = ['direction' => $legend->name(2 + $code), 'pixels' => $count, 'share' => $count / $all];
        }
        usort($rows, fn (array $a, array $b): int => $b['pixels'] <=> $a['pixels']);

        return ['signs' => $rows];
    }

    /**
     * How many of $count pixels that moved further than $limit lie in each of $bins directions; $scale is bins to one unit.
     *
     * @param  list<float>  $lengths
     * @param  list<float>  $ways
     * @return list<int>
     */
    public static function counted(array $lengths, array $ways, int $count, float $limit, float $scale, int $bins): array
    {
        $counts = array_fill(0, $bins, 0);
        $last = $bins - 1;
        for ($i = 0; $i < $count; $i++) {
            if ($lengths[$i] > $limit) {
                $bin = (int) ($ways[$i] * $scale);
                $counts[$bin > $last ? $last : $bin]++;
            }
        }

        return $counts;
    }
}
