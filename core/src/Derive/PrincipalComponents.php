<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Arithmetic\LinearForms;
use Chorometra\Core\Derive\Components\Loadings;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;

/** Bands turned into as many others that have nothing in common, the one that varies most first. */
final class PrincipalComponents implements Kind
{
    /** Bands that are taken at most. */
    private const MOST_BANDS = 256;

    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.components',
            'Principal components',
            'Turns correlated bands into uncorrelated components, ordered by variance.',
            [
                new Port(
                    'image',
                    PortType::Image,
                    'The image; for two stacked dates, change appears in the later components.',
                    wants: Wants::Reflectance,
                ),
                new Port('loadings', PortType::Table, 'Loadings computed before, such as on another date, which are applied instead of new '
                    .'ones.', required: false),
            ],
            [
                Setting::choice('of', ['covariance', 'correlation'], 'covariance', 'Matrix that is decomposed.', [
                    'covariance' => 'bands weighted by their variance',
                    'correlation' => 'all bands weighted equally, divided by their standard deviation',
                ]),
                Setting::texts('bands', 'Bands by number or role. Empty: all. With loadings, one for each of their bands.'),
                Setting::whole('keep', null, 'Number of components to keep. Empty: all.', null, 1, self::MOST_BANDS),
            ],
            [
                new Port('result', PortType::Image, 'The components; nodata where a band has none.'),
                new Port('table', PortType::Table, 'The loadings: mean, divisor and weight in each component, per band.', required: false,
                    endings: ['.csv']),
            ],
            'Pearson 1901, Philosophical Magazine 2:559–572; Hotelling 1933, Journal of Educational Psychology 24:417–441 (from memory). Deviations '
                .'divide by the number less one. The entry of each component that is largest in size is positive: common practice, no source.',
            synonyms: ['PCA', 'eigenvectors', 'decorrelation'],
            learns: Learning::Overview,
            figures: [
                Figure::number('pixels', 'fitted to', 'pixels'),
                Figure::table('scree', 'variance', ['component' => null, 'variance' => null, 'share' => '%', 'together' => '%']),
                Figure::apart('loadings'),
                Figure::list('leftOut', 'left out, constant bands'),
            ],
            desk: new Desk(5, ['{of}'], evidence: [new Evidence('components')]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $image = $call->image();
        $spec = $image->spec();
        $bands = $this->bands($call);
        $figures = [];
        if ($call->hasInput('loadings')) {
            $loadings = $this->given($call, $bands);
        } else {
            $moments = $work->part(0.0, 0.4)->gather(
                [new Reading($call->learning()->image(), $bands)],
                fn (array $values): Comoments => Comoments::of($values, count($values[0])),
                fn (Comoments $one, Comoments $other): Comoments => $one->merge($other),
            );
            if ($moments->count < 2) {
                throw Problem::input("{$image->name()} has fewer than two pixels that are valid in all of these bands.", 'image');
            }
            $constant = array_filter(array_keys($bands), $moments->isConstant(...));
            $left = array_values(array_diff(array_keys($bands), $constant));
            if ($left === []) {
                throw Problem::input("All bands of {$image->name()} are constant: there is nothing to decompose.", 'bands');
            }
            $moments = new Comoments(
                $moments->count,
                array_map(fn (int $k): float => $moments->means[$k], $left),
                array_map(fn (int $k): array => array_map(fn (int $j): float => $moments->products[$k][$j], $left), $left),
            );
            $label = fn (int $k): Band => $spec->bands[$bands[$k]]->name === null && $spec->bands[$bands[$k]]->role === null
                ? new Band(name: 'band '.($bands[$k] + 1), wavelength: $spec->bands[$bands[$k]]->wavelength)
                : $spec->bands[$bands[$k]];
            $loadings = Loadings::learnt($moments, array_map($label, $left), $call->text('of') === 'correlation');
            $figures = ['pixels' => $moments->count] +
                ($constant === [] ? [] : ['leftOut' => array_map(fn (int $k): string => $label($k)->label($bands[$k] + 1), array_values($constant))]);
            $bands = array_map(fn (int $k): int => $bands[$k], $left);
        }
        $keep = $call->whole('keep') ?: count($loadings->vectors);
        if ($keep > count($loadings->vectors)) {
            throw Problem::call('There are only '.count($loadings->vectors)." components: $keep can't be kept.", 'keep');
        }
        $loadings = $loadings->kept($keep);
        // weighted sums of values of one unit; of correlations they have none
        $units = array_unique(array_map(fn (int $band): ?string => $spec->bands[$band]->unit, $bands));
        $unit = count($units) === 1 && $loadings->areOfValues() ? reset($units) : null;
        $compute = LinearForms::of(...$loadings->forms());
        if (isset($call->outputs['table'])) {
            Files::write($call->outputs['table'], $loadings->csv());
        }

        return $work->part(0.4, 1.0)->carryOut(new Plan(
            [new Reading($image, $bands)],
            ['result' => $spec->measured(array_map(
                fn (int $k): Band => new Band(name: 'component '.($k + 1), unit: $unit, scale: Scale::Signed),
                range(0, $keep - 1),
            ))],
            fn (array $values): array => ['result' => $compute($values, count($values[0]))],
            figures: $figures + $loadings->figures(),
        ));
    }

    /** @return list<int> */
    private function bands(Call $call): array
    {
        $image = $call->image();
        $spec = $image->spec();
        if ($spec->content !== Content::Image) {
            throw Problem::input("{$image->name()} contains class codes: use an image of values.", 'image');
        }
        $named = $call->texts('bands');
        $bands = $named === []
            ? array_keys(array_filter($spec->bands, fn (Band $band): bool => $band->part !== 'phase' && $band->role !== 'quality'))
            : array_map(fn (string $name): int => Call::bandOf($image, $name, 'bands'), $named);
        foreach ($bands as $band) {
            if ($spec->bands[$band]->part === 'phase') {
                throw Problem::input("The band {$spec->bands[$band]->label($band + 1)} of {$image->name()} is a phase, which has no variance.", 'bands');
            }
        }
        if (count($bands) !== count(array_unique($bands))) {
            throw Problem::call('A band is named twice; name it once.', 'bands');
        }
        if ($bands === []) {
            throw Problem::call("{$image->name()} has no band that can be decomposed.", 'bands');
        }
        if (count($bands) > self::MOST_BANDS) {
            throw Problem::call('At most '.self::MOST_BANDS.' bands are decomposed at once.', 'bands');
        }

        return $bands;
    }

    /** @param  list<int>  $bands */
    private function given(Call $call, array $bands): Loadings
    {
        $loadings = Loadings::read($call->path('loadings'));
        if (count($loadings->bands) !== count($bands)) {
            throw Problem::input(
                sprintf(
                    '%s was computed from %d bands (%s), and %d are to be transformed: name the same with the setting bands.',
                    basename($call->path('loadings')),
                    count($loadings->bands),
                    implode(', ', $loadings->bands),
                    count($bands),
                ),
                'bands',
            );
        }

        return $loadings;
    }
}
