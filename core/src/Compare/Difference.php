<?php

namespace Chorometra\Core\Compare;

use Chorometra\Core\Compare\Change\CentreAndSpread;
use Chorometra\Core\Compare\Change\Forms;
use Chorometra\Core\Compare\Change\Tails;
use Chorometra\Core\Compare\Dates\Readiness;
use Chorometra\Core\Compare\Dates\Stable;
use Chorometra\Core\Compare\Dates\TwoDates;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
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

/** What two dates differ by, band by band, and from where on that counts as a change. */
final class Difference implements HasPrechecks, Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'compare.difference',
            'Image differencing',
            'Subtracts or divides two dates pixel by pixel, and marks differences beyond a limit as change.',
            TwoDates::ports(),
            [
                Setting::choice('how', array_keys(Forms::MEANINGS), 'subtract', 'Type of difference.', Forms::MEANINGS),
                TwoDates::setting(),
                Setting::yes('scores', false, 'Express differences as standard scores, in standard deviations from the centre of each band.'),
                CentreAndSpread::setting(),
                ...Tails::settings(),
                Setting::band('band', null, 'Band to which the limits apply. Empty: the first one compared.', 'before')
                    ->onlyFor('limits=deviations|percentiles|values'),
            ],
            [
                new Port('difference', PortType::Image, 'The differences, one band each; nodata where a date is nodata or the difference is undefined.'),
                new Port('changes', PortType::Classes, 'Decrease, no change and increase, by the limits.', required: false,
                    only: Condition::of('limits=deviations|percentiles|values')),
            ],
            'Singh 1989, International Journal of Remote Sensing 10:989–1003 (from memory). Robust spread: median and 1.4826 times the median absolute '
                .'deviation (Hampel 1974, Journal of the American Statistical Association 69:383–393, from memory). Percentiles: Hyndman & Fan 1996, type 7.',
            synonyms: ['change detection', 'subtraction', 'ratio', 'log-ratio'],
            learns: Learning::Overview,
            example: new Example(['limits' => 'percentiles', 'below' => '2.5', 'above' => '97.5', 'bands' => '1,2']),
            figures: [
                Figure::list('against', 'comparability of the dates'),
                Figure::table('spread', 'centre and standard deviation', ['band' => null, 'middle' => null, 'deviation' => null]),
                Figure::text('limited', 'band of the limits'),
                Figure::number('below', 'decrease below'),
                Figure::number('above', 'increase above'),
                ...Stable::figures(),
            ],
            desk: new Desk(1, ['{how}'], evidence: [new Evidence('readiness'), new Evidence('tails', ['limits', 'below', 'above', 'band'])]),
        );
    }

    public function against(Call $call): array
    {
        return Readiness::of(TwoDates::of($call));
    }

    public function run(Call $call, Work $work): array
    {
        Tails::check($call);
        $dates = TwoDates::of($call);
        $how = $call->text('how');
        $labels = $dates->labels();
        $of = Tails::areWanted($call) ? ($call->text('band') === '' ? 0 : $dates->place($call->text('band'), 'band')) : null;
        $isScored = $call->isOn('scores');
        $learning = $call->learning();
        $seen = $learning === $call ? $dates : TwoDates::of($learning);
        $differ = function (int $strip) use ($seen, $how): \Generator {
            foreach ($seen->pass()->windows($strip) as $window) {
                yield self::differences($how, $seen->values($window));
            }
        };
        $spread = $isScored || $call->text('limits') === 'deviations'
            ? CentreAndSpread::of($call->text('spread') === 'robust', $seen->pass()->strips(), $seen->pixels(), $differ, $call->context->part(0.0, 0.3))
                ->check($isScored ? $labels : [(int) $of => $labels[(int) $of]])
            : null;
        $scored = fn (array $bands): array => $isScored && $spread !== null
            ? array_map(fn (array $band, float $middle, float $by): array => self::scores($band, count($band), $middle, 1.0 / $by), $bands, $spread->middles,
                $spread->deviations)
            : $bands;
        $tails = $of === null ? null : Tails::of(
            $call,
            fn (): array => $isScored ? [0.0, 1.0] : [$spread->middles[$of] ?? NAN, $spread->deviations[$of] ?? NAN],
            $seen->pass()->strips(),
            $seen->pixels(),
            function (int $strip) use ($differ, $scored, $of): \Generator {
                foreach ($differ($strip) as $bands) {
                    yield [$scored($bands)[$of]];
                }
            },
            $call->context->part(0.3, 0.5),
        );
        $stable = Stable::of($call, $dates->before->spec()->grid);
        $made = fn (Window $window): array => $scored(self::differences($how, $dates->values($window)));
        $spec = $dates->spec();
        $specs = ['difference' => $spec->measured(self::bands($dates, $how, $isScored))];
        if ($tails !== null && $of !== null) {
            $specs['changes'] = $tails->map($spec->grid, $labels[$of], $spec->properties);
        }
        $figures = Readiness::figures($call, $dates) + ($spread === null ? [] : ['spread' => array_map(
            fn (string $label, float $middle, float $deviation): array => ['band' => $label, 'middle' => $middle, 'deviation' => $deviation],
            $labels, $spread->middles, $spread->deviations,
        )]) + ($tails === null || $of === null ? [] : array_filter(
            ['limited' => $labels[$of], 'below' => $tails->below, 'above' => $tails->above],
            fn (mixed $value): bool => $value !== null,
        ));
        if ($stable !== null) {
            // the band with limits stands last: of it is told what lies beyond them
            $order = [...array_diff(array_keys($labels), [$of]), ...($of === null ? [] : [$of])];
            $figures['stable'] = $stable->rows(
                $dates,
                array_map(fn (int $k): string => $labels[$k], $order),
                fn (Window $window): array => array_map(fn (int $k): array => $made($window)[$k], $order),
                $tails === null ? null : fn (array $values): int => count(array_diff($tails->codes($values, count($values), 0), [0, Tails::SAME])),
                $call->context->part(0.5, 0.6),
            );
        }
        $nodata = isset($specs['changes']) ? $specs['changes']->nodataCode() : 0;

        return $figures + $work->part(0.6, 1.0)->make($specs, function (Window $window) use ($made, $tails, $of, $nodata): array {
            $bands = $made($window);

            return ['difference' => $bands] + ($tails === null ? [] : ['changes' => [$tails->codes($bands[$of], count($bands[$of]), $nodata)]]);
        }, 2 * count($labels));
    }

    /** @return list<Band> of the differences: roles and wavelengths are those of the later date */
    private static function bands(TwoDates $dates, string $how, bool $isScored): array
    {
        $hasUnit = ! $isScored && $how === 'subtract';
        $scale = ! $isScored && $how === 'ratio' ? Scale::Ratio : Scale::Signed;
        $bands = [];
        foreach ($dates->labels() as $k => $label) {
            $after = $dates->after->spec()->bands[$dates->bands[$k][1]];
            $bands[] = new Band($after->role, $label, $after->wavelength, unit: $hasUnit ? $dates->unit($k) : null, scale: $scale);
        }

        return $bands;
    }

    /**
     * @param  list<list<float>>  $values  bands of the earlier date, then those of the later
     * @return list<list<float>>
     */
    private static function differences(string $how, array $values): array
    {
        $number = intdiv(count($values), 2);
        $out = [];
        for ($k = 0; $k < $number; $k++) {
            $out[] = Forms::of($how, $values[$k], $values[$number + $k], count($values[$k]));
        }

        return $out;
    }

    /**
     * @param  list<float>  $values
     * @return list<float>
     */
    public static function scores(array $values, int $count, float $middle, float $by): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = ($values[$i] - $middle) * $by;
        }

        return $values;
    }
}
