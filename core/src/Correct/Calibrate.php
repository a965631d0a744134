<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Light\Sun;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
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

/** Counts as delivered to physical quantities. */
final class Calibrate extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.calibrate',
            'Radiometric calibration',
            'Converts the counts of a delivered scene to radiance, top-of-atmosphere reflectance or brightness temperature.',
            [
                new Port(
                    'image',
                    PortType::Image,
                    'An image in counts with its calibration constants, as a scene bundle contains them.',
                    sample: 'counts',
                    wants: Wants::Counts,
                ),
            ],
            [
                Setting::choice(
                    'to',
                    ['toa-reflectance', 'radiance', 'brightness-temperature'],
                    'toa-reflectance',
                    'Quantity to compute. With toa-reflectance, thermal bands become brightness temperature.',
                ),
                Setting::number('sun-elevation', null, 'Sun elevation above the horizon. Empty: from the metadata.', '°', 0.1, 90)->ofImage(),
            ],
            [new Port('result', PortType::Image, 'The calibrated image.')],
            'Landsat 8 Data Users Handbook (USGS LSDS-1574), section 5, for gains in reflectance; Chander, Markham & Helder 2009, Remote Sensing of '
                .'Environment 113:893–903, for radiance gains with ESUN and for temperature (from memory).',
            synonyms: ['radiance', 'reflectance', 'top of atmosphere', 'brightness temperature'],
            figures: [
                Figure::table('calibration', 'calibration', ['band' => null, 'gain' => null, 'offset' => null, 'unit' => null]),
                Figure::text('note', 'remark'),
            ],
            desk: new Desk(3, ['{to}'], isNamed: true, cautions: [Caution::after('correct.calibrate', 'This image was calibrated already.')]),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        if (in_array('reflectance', array_column($spec->bands, 'unit'), true)) {
            $quantity = $spec->isSurfaceReflectance() ? 'surface reflectance' : 'reflectance';
            throw Problem::input("{$image->name()} is $quantity already: use it as it is.", 'image');
        }
        $bands = [];
        $lines = [];
        $told = [];
        foreach ($spec->bands as $index => $band) {
            $line = $this->line($call, $band, $index + 1, $spec);
            $lines[] = $line;
            $bands[] = $band->measuredIn($line['unit']);
            $told[] =
                ['band' => $band->label($index + 1), 'gain' => $line['gain'], 'offset' => $line['offset'], 'unit' => $line['unit']] +
                ($line['k1'] > 0 ? ['k1' => $line['k1'], 'k2' => $line['k2']] : []);
        }

        return new Plan(
            [new Reading($image, array_keys($spec->bands), lines: array_map(fn (array $line): array => [$line['gain'], $line['offset']], $lines))],
            ['result' => new RasterSpec($spec->grid, $bands, properties: $this->properties($call, $spec))],
            function (array $blocks) use ($lines): array {
                foreach ($blocks as $index => $values) {
                    if ($lines[$index]['k1'] > 0) {
                        $blocks[$index] = self::temperature($values, count($values), $lines[$index]['k1'], $lines[$index]['k2']);
                    }
                }

                return ['result' => $blocks];
            },
            figures: ['calibration' => $told]
                + ($spec->isSurfaceReflectance() ? ['note' => 'The result is surface reflectance: it needs no atmospheric correction.'] : []),
        );
    }

    /**
     * T = K2 / ln(K1/L + 1) in kelvin; NaN where the radiance is not positive.
     *
     * @param  list<float>  $values  radiance
     * @return list<float>
     */
    public static function temperature(array $values, int $count, float $k1, float $k2): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = $values[$i] > 0.0 ? $k2 / log($k1 / $values[$i] + 1.0) : NAN;
        }

        return $values;
    }

    /**
     * What is told of the scene: a sun elevation that was given holds for what follows too.
     *
     * @return array<string, mixed>
     */
    private function properties(Call $call, RasterSpec $spec): array
    {
        $set = $call->number('sun-elevation');

        return is_nan($set) ? $spec->properties : ['view:sun_elevation' => $set] + $spec->properties;
    }

    /** @return array{gain: float, offset: float, k1: float, k2: float, unit: string} */
    private function line(Call $call, Band $band, int $number, RasterSpec $spec): array
    {
        $to = $call->text('to');
        $c = $band->constants;
        $label = $band->label($number);
        $name = $call->image()->name();
        if (isset($c['value_gain'], $c['value_offset']) && $to !== 'radiance') {
            if ($to === 'brightness-temperature' && ! $band->isThermal()) {
                throw Problem::input("The band $label of $name is in reflectance, so it has no brightness temperature.", 'to');
            }

            return ['gain' => $c['value_gain'], 'offset' => $c['value_offset'], 'k1' => 0.0, 'k2' => 0.0, 'unit' => $band->isThermal() ? 'K' : 'reflectance'];
        }
        if ($to === 'radiance' || $to === 'brightness-temperature' || $band->isThermal()) {
            if (! isset($c['radiance_gain'], $c['radiance_offset'])) {
                throw Problem::input(
                    "The band $label of $name has no radiance gain and offset in its metadata, so it can't be calibrated; read the scene in as a bundle.",
                    'image',
                );
            }
            if ($to === 'radiance') {
                return ['gain' => $c['radiance_gain'], 'offset' => $c['radiance_offset'], 'k1' => 0.0, 'k2' => 0.0, 'unit' => 'W m⁻² sr⁻¹ µm⁻¹'];
            }
            if (! isset($c['k1'], $c['k2'])) {
                throw Problem::input("The band $label of $name has no thermal constants K1 and K2, so it has no brightness temperature.", 'to');
            }

            return ['gain' => $c['radiance_gain'], 'offset' => $c['radiance_offset'], 'k1' => $c['k1'], 'k2' => $c['k2'], 'unit' => 'K'];
        }
        $elevation = Sun::elevation($call, $spec, $name);
        $sine = sin(deg2rad($elevation));
        if (isset($c['reflectance_gain'], $c['reflectance_offset'])) {
            return ['gain' => $c['reflectance_gain'] / $sine, 'offset' => $c['reflectance_offset'] / $sine, 'k1' => 0.0, 'k2' => 0.0, 'unit' => 'reflectance'];
        }
        if (isset($c['radiance_gain'], $c['radiance_offset'], $c['solar'])) {
            $factor = M_PI * $this->distance($spec, $name) ** 2 / ($c['solar'] * $sine);

            return ['gain' => $c['radiance_gain'] * $factor, 'offset' => $c['radiance_offset'] * $factor, 'k1' => 0.0, 'k2' => 0.0, 'unit' => 'reflectance'];
        }
        throw Problem::input(
            "The band $label of $name has no reflectance gain and offset in its metadata, so it can't be calibrated; read the scene in as a bundle.",
            'image',
        );
    }

    private function distance(RasterSpec $spec, string $name): float
    {
        $known = $spec->properties['chorometra:earth_sun_distance'] ?? null;
        if (is_numeric($known)) {
            return (float) $known;
        }
        $date = $spec->properties['datetime'] ?? null;
        if (! is_string($date)) {
            throw Problem::input("$name has neither a date nor a distance to the sun, which reflectance from radiance needs.", 'image');
        }

        return Sun::distance(new \DateTimeImmutable($date));
    }
}
