<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Radar\MultiLook;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;

/** Radar samples into the backscattering coefficient sigma nought, in fewer looks if wanted. */
final class Backscatter extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.backscatter',
            'Backscatter calibration',
            'Converts radar samples to sigma nought, multilooked in power, in decibels or linear.',
            [
                new Port(
                    'image',
                    PortType::Image,
                    'Radar amplitude, magnitude and phase, or intensity; not in decibel.',
                    sample: 'intensity',
                    wants: Wants::Counts,
                ),
            ],
            [
                Setting::choice('samples', ['amplitude', 'intensity'], 'intensity', 'Type of the samples.', [
                    'amplitude' => 'amplitude, squared to power first; magnitudes of complex samples always are',
                    'intensity' => 'power already',
                ])->ofImage(),
                Setting::number('constant', 0.0, 'Calibration constant of the sensor, added to power in decibels.', 'dB', -200, 200)->ofImage(),
                Setting::number(
                    'incidence',
                    null,
                    'Incidence angle, for radar brightness (beta nought), which is multiplied by its sine. Empty: the samples are sigma nought already.',
                    '°',
                    1,
                    89,
                )->ofImage(),
                Setting::whole('columns', 1, 'Pixels along a row averaged into one.', 'pixels', 1, 100),
                Setting::whole('rows', 1, 'Rows averaged into one.', 'pixels', 1, 100),
                Setting::choice('scale', ['decibel', 'linear'], 'decibel', 'Scale of the result.', [
                    'decibel' => '10 log₁₀ of sigma nought; nodata where it is not positive',
                    'linear' => 'power, which can be averaged and filtered',
                ]),
            ],
            [new Port('result', PortType::Image, 'Sigma nought of every band, without phases.')],
            'σ⁰ = 10 log₁₀⟨DN²⟩ + CF: Shimada, Isoguchi, Tadono & Isono 2009, IEEE Transactions on Geoscience and Remote Sensing 47:3915–3932 (from '
                .'memory). σ⁰ = β⁰ sin θ: Raney, Freeman, Hawkins & Bamler 1994, IGARSS (from memory).',
            synonyms: ['sigma nought', 'radar calibration', 'multilook', 'decibel'],
            figures: [
                Figure::number('averaged', 'averaged', 'pixels'),
                Figure::number('factor', 'factor'),
            ],
            desk: new Desk(11, makes: 'backscatter'),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        $isComplex = false;
        foreach ($spec->bands as $index => $band) {
            if ($band->unit === 'dB' || in_array($band->part, ['real', 'imaginary'], true)) {
                throw Problem::input(
                    "The band {$band->label($index + 1)} of {$image->name()} is ".
                        ($band->unit === 'dB' ? 'in decibel already' : "the $band->part part of complex samples: gather them as magnitude and phase").
                        '.',
                    'image',
                );
            }
            $isComplex = $isComplex || $band->part === 'magnitude';
        }
        [$columns, $rows] = [$call->whole('columns'), $call->whole('rows')];
        if ($columns > $spec->grid->width || $rows > $spec->grid->height) {
            throw Problem::call(
                "{$image->name()} has {$spec->grid->width} x {$spec->grid->height} pixels: blocks of $columns x $rows don't fit in.",
                $columns > $spec->grid->width ? 'columns' : 'rows',
            );
        }
        $looked = new MultiLook($image, $columns, $rows, $isComplex || $call->text('samples') === 'amplitude');
        $incidence = $call->number('incidence');
        $factor = 10 ** ($call->number('constant') / 10) * (is_nan($incidence) ? 1.0 : sin(deg2rad($incidence)));
        $isDecibel = $call->text('scale') === 'decibel';
        $bands = array_map(fn (Band $band): Band => $band->measuredIn($isDecibel ? 'dB' : null), $looked->spec()->bands);

        return new Plan(
            [new Reading($looked, array_keys($bands))],
            ['result' => new RasterSpec($looked->spec()->grid, $bands, properties: self::looked($spec->properties, $columns, $rows))],
            fn (array $blocks): array => [
                'result' => array_map(
                    fn (array $values): array => $isDecibel
                        ? self::decibel($values, count($values), $factor)
                        : Codec::linear($values, count($values), $factor, 0.0),
                    $blocks,
                ),
            ],
            figures: ['averaged' => $columns * $rows, 'factor' => $factor],
        );
    }

    /**
     * The looks that the metadata tell, with those averaged here. Columns lie in range, as sensors deliver them.
     *
     * @param  array<string, mixed>  $properties
     * @return array<string, mixed>
     */
    private static function looked(array $properties, int $columns, int $rows): array
    {
        foreach (['sar:looks_range' => $columns, 'sar:looks_azimuth' => $rows, 'sar:looks_equivalent_number' => $columns * $rows] as $name => $more) {
            if (is_numeric($properties[$name] ?? null)) {
                $properties[$name] *= $more;
            }
        }

        return $properties;
    }

    /**
     * @param  list<float>  $values  power
     * @return list<float>
     */
    public static function decibel(array $values, int $count, float $factor): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = $values[$i] > 0.0 ? 10.0 * log10($values[$i] * $factor) : NAN;
        }

        return $values;
    }
}
