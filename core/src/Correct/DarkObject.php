<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Light\Sun;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\Percentiles;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** The light that the air adds, taken off by what the darkest place of each band shows. */
final class DarkObject extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.dark-object',
            'Dark object subtraction',
            'Removes the light scattered by the atmosphere: from each band, the excess value of the darkest object.',
            [new Port('image', PortType::Image, 'An image; for an assumed reflectance or the cosine model, in reflectance.')],
            [
                Setting::number(
                    'percentile',
                    0.0,
                    'Percentile taken as the darkest value: 0 the minimum of all valid pixels, higher where single pixels are bad.',
                    '%',
                    0,
                    10,
                ),
                Setting::number('assumed', 0.0, 'True reflectance of the dark object; 1 % in Chavez 1988.', '%', 0, 20),
                Setting::choice('model', ['subtract', 'cost'], 'subtract', 'Correction model.', [
                    'subtract' => 'the excess is subtracted',
                    'cost' => 'the excess is subtracted, and transmittance is corrected by the cosine of the solar zenith angle',
                ]),
                Setting::number('sun-elevation', null, 'Sun elevation above the horizon. Empty: from the metadata.', '°', 0.1, 90)
                    ->onlyFor('model=cost')
                    ->ofImage(),
            ],
            [new Port('result', PortType::Image, 'The corrected image.')],
            'Chavez 1988, Remote Sensing of Environment 24:459–479; cost: Chavez 1996, Photogrammetric Engineering & Remote Sensing 62:1025–1036 '
                .'(from memory).',
            synonyms: ['path radiance', 'haze', 'simple atmospheric correction'],
            learns: Learning::Overview,
            figures: [
                Figure::table('dark', 'dark object', ['band' => null, 'dark' => null, 'taken-off' => null]),
                Figure::number('cosine', 'cosine of the sun’s angle'),
            ],
            desk: new Desk(
                6,
                cautions: [
                    Caution::after(
                        'correct.terrain',
                        'Topographic correction was applied already, so path radiance now differs from slope to slope. Subtract dark objects before it.',
                    ),
                    Caution::after('correct.surface', 'This image is atmospherically corrected already; its darkest object has its true reflectance.'),
                    Caution::counts(
                        'This image is in counts. It works, but an assumed reflectance and the comparison of dates need reflectance: calibrate first.',
                    ),
                ],
                evidence: [new Evidence('dark-object')],
                makes: 'dark object subtracted',
            ),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        $assumed = $call->share('assumed');
        $cosine = 1.0;
        if ($call->text('model') === 'cost') {
            $cosine = sin(deg2rad(Sun::elevation($call, $spec, $image->name())));
        }
        $lines = [];
        $told = $warnings = [];
        foreach ($spec->bands as $index => $band) {
            $label = $band->label($index + 1);
            // temperatures are no light that the air scatters in
            $isKept = $band->isThermal() || $band->unit === 'K';
            if (! $isKept && ($assumed > 0 || $cosine < 1.0) && $band->unit !== null && $band->unit !== 'reflectance' && $band->unit !== '%') {
                throw Problem::call(
                    "The band $label of {$image->name()} is in {$band->unit}: an assumed reflectance or the cosine model needs reflectance; calibrate first.",
                    $assumed > 0 ? 'assumed' : 'model',
                );
            }
            $dark = $isKept ? 0.0 : $this->dark($call, $index, $label, $warnings);
            $lines[] = $isKept ? [1.0, 0.0] : [1 / $cosine, $assumed - $dark / $cosine];
            $told[] = ['band' => $label, 'dark' => $isKept ? null : $dark, 'taken-off' => $isKept ? 0.0 : $dark - $assumed * $cosine];
        }

        return new Plan(
            [new Reading($image, array_keys($spec->bands), lines: $lines)],
            ['result' => $spec->measured(array_map(fn (Band $band): Band => $band->measuredIn($band->unit), $spec->bands))],
            fn (array $blocks): array => ['result' => $blocks],
            figures: ['dark' => $told] + ($cosine < 1.0 ? ['cosine' => $cosine] : []) + ($warnings === [] ? [] : ['warning' => implode(' ', $warnings)]),
        );
    }

    /** @param  list<string>  $warnings  grows with bands that have no dark object: nothing is taken off them */
    private function dark(Call $call, int $index, string $label, array &$warnings): float
    {
        $image = $call->learning()->image();
        $context = $call->context->part(0.0, 0.3);
        $moments = Histogram::moments($image, $index, $context->part(0.0, 0.5), 0);
        if ($moments->count === 0) {
            $warnings[] = "The band $label of {$image->name()} is nodata everywhere, so it has no dark object.";

            return 0.0;
        }
        if ($moments->minimum === $moments->maximum) {
            $warnings[] = "The band $label of {$image->name()} has the same value everywhere, so it has no dark object; nothing was subtracted.";

            return 0.0;
        }

        $percent = $call->number('percentile');

        return $percent > 0 ? Percentiles::of($image, $index, [$percent], $context->part(0.5, 1.0))[0] : $moments->minimum;
    }
}
