<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Air\Atmosphere;
use Chorometra\Core\Correct\Air\BandAir;
use Chorometra\Core\Correct\Air\SpectralFit;
use Chorometra\Core\Correct\Air\ThroughAir;
use Chorometra\Core\Correct\Light\Sun;
use Chorometra\Core\Format\Web\PlaceService;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Service;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;

/** What the ground itself reflects, by a model of the air over it. */
final class Surface extends LocalKind implements ThroughAir
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.surface',
            'Atmospheric correction',
            'Removes the effect of the atmosphere on the way down and up; the result is surface reflectance.',
            [
                new Port('image', PortType::Image, 'An image in top-of-atmosphere reflectance whose bands have wavelengths.', wants: Wants::Reflectance),
                new Port(
                    'signatures',
                    PortType::Table,
                    'Reference spectra for the points: CSV, a column of wavelengths in µm and one of reflectance for each cover.',
                    required: false,
                ),
                new Port(
                    'points',
                    PortType::Points,
                    'Places whose spectra are compared with the signatures; a point with a property “signature” with that one.',
                    required: false,
                ),
            ],
            [
                Setting::choice('aerosol', array_keys(Atmosphere::AEROSOLS), null, 'Aerosol type; continental if unknown.')->ofImage(),
                Setting::number(
                    'visibility',
                    null,
                    'Horizontal visibility; 23 km if neither it nor an optical depth is known.',
                    'km',
                    1,
                    300,
                )->ofImage(),
                Setting::number('aot550', null, 'Aerosol optical depth at 0.55 µm, instead of the visibility.', null, 0, 5)->ofImage(),
                Setting::number('water-vapour', null, 'Column water vapour; 2 if unknown.', 'g cm⁻²', 0, 10)->ofImage(),
                Setting::number('ozone', null, 'Column ozone; 300 if unknown.', 'DU', 0, 700)->ofImage(),
                Setting::number('elevation', null, 'Ground elevation; 0 if unknown.', 'm', -500, 9000)->ofImage(),
                Setting::number('sun-elevation', null, 'Sun elevation above the horizon. Empty: from the metadata.', '°', 3, 90)->ofImage(),
                Setting::text(
                    'service',
                    null,
                    'Address of an atmosphere service (a collection of OGC API – Environmental Data Retrieval) that supplies values left empty, by place '
                        .'and date.',
                )->leadsTo(Service::Atmosphere),
            ],
            [new Port('result', PortType::Image, 'The image in surface reflectance.')],
            'ρs = y/(1 + S·y), y = (ρ/Tg − ρpath)/(T↓·T↑) over ground that reflects alike in all directions: Tanré et al. 1979, Applied Optics '
                .'18:3587–3594. Rayleigh optical depth and doubling for all orders of scattering: Hansen & Travis 1974, Space Science Reviews '
                .'16:527–610. Ozone and water vapour: Bird & Riordan 1986, Journal of Climate and Applied Meteorology 25:87–97. Visibility: '
                .'Koschmieder 1924. All from memory. Nadir view; polarisation, other gases and adjacency effects are neglected.',
            synonyms: ['surface reflectance', 'aerosol', 'atmosphere', 'bottom of atmosphere'],
            figures: [
                Figure::table('air', 'atmosphere', ['what' => null, 'value' => null, 'unit' => null, 'from' => null]),
                Figure::table('fits', 'fit to the signatures', ['point' => null, 'signature' => null, 'angle' => '°', 'rmse' => '%']),
                Figure::table('transmission', 'transmission', [
                    'band' => null,
                    'gas' => '%',
                    'path' => '%',
                    'down' => '%',
                    'up' => '%',
                    'spherical' => '%',
                    'molecules' => null,
                    'aerosol' => null,
                ]),
            ],
            desk: new Desk(
                7,
                cautions: [
                    Caution::after(
                        'correct.dark-object',
                        'Path radiance was subtracted already (dark object): corrected again, dark pixels become negative. Start '
                            .'from top-of-atmosphere reflectance.',
                    ),
                    Caution::after(
                        'correct.terrain',
                        'Topographic correction was applied already, to path radiance as well. Correct the atmosphere before it.',
                    ),
                ],
                evidence: [new Evidence('air', ['aerosol', 'visibility', 'aot550', 'water-vapour', 'ozone', 'elevation', 'service', 'signatures', 'points'])],
                makes: 'surface reflectance',
            ),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        if ($spec->isSurfaceReflectance()) {
            throw Problem::input("{$image->name()} is surface reflectance already: use it as it is.", 'image');
        }
        $air = self::air($call, $spec, $image->name());
        $lines = [];
        $bands = [];
        $told = [];
        foreach ($spec->bands as $index => $band) {
            $label = $band->label($index + 1);
            // temperatures and quality are no light of the sun
            if ($band->isThermal() || $band->unit === 'K' || $band->role === 'quality') {
                $lines[] = null;
                $bands[] = $band;

                continue;
            }
            $lines[] = $one = self::band($air['atmosphere'], $band, $label, $image->name());
            $bands[] = $band->measuredIn('reflectance');
            $told[] = [
                'band' => $label,
                'gas' => $one->gas,
                'path' => $one->path,
                'down' => $one->down,
                'up' => $one->up,
                'spherical' => $one->spherical,
                'molecules' => $one->molecules,
                'aerosol' => $one->aerosol,
            ];
        }
        $fits = $call->hasInput('points') ? SpectralFit::atPoints($call, fn (int $index, float $value): ?float => $lines[$index]?->surface($value)) : [];

        return new Plan(
            [new Reading($image, array_keys($spec->bands))],
            ['result' => $spec->with(properties: [RasterSpec::REFLECTANCE => 'surface'] + $spec->properties)->measured($bands)],
            function (array $blocks) use ($lines): array {
                foreach ($blocks as $index => $values) {
                    if ($lines[$index] !== null) {
                        $blocks[$index] = self::ground($values, count($values), ...[...$lines[$index]->line(), $lines[$index]->spherical]);
                    }
                }

                return ['result' => $blocks];
            },
            figures: ['air' => $air['told'], 'transmission' => $told] + ($fits === [] ? [] : ['fits' => $fits]),
        );
    }

    public function airOf(Call $call): array
    {
        $image = $call->image();
        $air = self::air($call, $image->spec(), $image->name());
        $bands = [];
        foreach ($image->spec()->bands as $index => $band) {
            if (self::isSeen($band)) {
                $bands[$index] = self::band($air['atmosphere'], $band, $band->label($index + 1), $image->name());
            }
        }

        return ['told' => $air['told'], 'bands' => $bands];
    }

    /** Whether light of the sun is in a band, and so the air's. */
    private static function isSeen(Band $band): bool
    {
        return ! $band->isThermal() && $band->role !== 'quality' && $band->unit !== 'K';
    }

    /**
     * The air as set, else as the service tells it, else as it usually is; with where each value comes from.
     *
     * @return array{atmosphere: Atmosphere, told: list<array{what: string, value: float|string, unit: string|null, from: string}>}
     */
    public static function air(Call $call, RasterSpec $spec, string $name): array
    {
        $asked = $call->text('service') === '' ? [] : (new PlaceService($call->text('service')))->over($spec, $name);
        $told = [];
        $take = function (string $setting, string $key, ?float $usual, ?string $unit) use ($call, $asked, &$told): float {
            $set = $call->number($setting);
            $value = is_nan($set) ? $asked[$key] ?? $usual : $set;
            if ($value === null) {
                return NAN;
            }
            $told[] = [
                'what' => $setting,
                'value' => (float) $value,
                'unit' => $unit,
                'from' => is_nan($set) ? (isset($asked[$key]) ? 'service' : 'usual') : 'set',
            ];

            return (float) $value;
        };
        $set = $call->text('aerosol');
        $aerosol = $set !== '' ? $set : $asked['aerosol'] ?? 'continental';
        $told[] = ['what' => 'aerosol', 'value' => $aerosol, 'unit' => null, 'from' => $set !== '' ? 'set' : (isset($asked['aerosol']) ? 'service' : 'usual')];
        $isSeen = is_nan($call->number('aot550')) && ! is_nan($call->number('visibility'));
        $depth = $isSeen ? NAN : $take('aot550', 'aot550', null, null);
        if (is_nan($depth)) {
            $depth = Atmosphere::aot($take('visibility', '', 23.0, 'km'));
            $told[] = ['what' => 'aot550', 'value' => $depth, 'unit' => null, 'from' => 'visibility'];
        } else {
            $told[] = ['what' => 'visibility', 'value' => Atmosphere::visibility($depth), 'unit' => 'km', 'from' => 'aot550'];
        }
        $sun = Sun::elevation($call, $spec, $name);
        $told[] = ['what' => 'sun-elevation', 'value' => $sun, 'unit' => '°', 'from' => is_nan($call->number('sun-elevation')) ? 'metadata' : 'set'];

        return [
            'atmosphere' => new Atmosphere(
                $sun,
                $aerosol,
                $depth,
                $take('water-vapour', 'water', 2.0, 'g cm⁻²'),
                $take('ozone', 'ozone', 300.0, 'DU'),
                $take('elevation', 'elevation', 0.0, 'm'),
            ),
            'told' => $told,
        ];
    }

    /** @throws Problem where the band has another unit or no wavelength, or nothing passes the atmosphere in it */
    public static function band(Atmosphere $atmosphere, Band $band, string $label, string $name): BandAir
    {
        if ($band->unit !== null && $band->unit !== 'reflectance') {
            throw Problem::input(
                "The band $label of $name is in {$band->unit}: atmospheric correction needs top-of-atmosphere reflectance; calibrate first.",
                'image',
            );
        }
        if ($band->wavelength === null || $band->wavelength < 0.25 || $band->wavelength > 4.0) {
            throw Problem::input(
                "The band $label of $name has no wavelength between 0.25 and 4 µm, which atmospheric correction needs: give the bands their roles, or read the "
                    .'scene in as a bundle.',
                'image',
            );
        }
        $air = $atmosphere->at($band->wavelength, $band->bandwidth ?? 0.0);
        if ($air->gas * $air->down * $air->up < 0.02) {
            throw Problem::input(
                "The atmosphere as set is nearly opaque in band $label of $name: leave the band out (gather.stack), or correct the settings.",
                'image',
            );
        }

        return $air;
    }

    /**
     * y / (1 + S · y) with y = gain · ρ + offset.
     *
     * $count values; y = $gain × value + $offset, and $spherical is the albedo of the air from below, above 0.
     *
     * @param  list<float>  $values  reflectance above the air; NaN nodata
     * @return list<float>
     */
    public static function ground(array $values, int $count, float $gain, float $offset, float $spherical): array
    {
        // y / (1 + S y) = 1/S − 1/S / (1 + S y): one product less; S of air is never 0
        $top = 1.0 / $spherical;
        $by = $spherical * $gain;
        $one = 1.0 + $spherical * $offset;
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = $top - $top / ($one + $by * $values[$i]);
        }

        return $values;
    }
}
