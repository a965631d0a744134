<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Arithmetic\LinearForms;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;

/** Brightness, greenness and wetness by the coefficients published for a sensor. */
final class TasselledCap extends LocalKind
{
    private const ROLES = ['blue', 'green', 'red', 'nir', 'swir1', 'swir2'];

    private const MADE = ['brightness', 'greenness', 'wetness'];

    /** By name: what is told of it, what it takes, platforms and instruments that it was made for, and a row of six for each of the three. */
    public const SETS = [
        'oli' => [
            'OLI, at-sensor reflectance (Baig et al. 2014)',
            'reflectance',
            '/\boli\b|oli-tirs|landsat-[89]/',
            [
                [0.3029, 0.2786, 0.4733, 0.5599, 0.508, 0.1872],
                [-0.2941, -0.243, -0.5424, 0.7276, 0.0713, -0.1608],
                [0.1511, 0.1973, 0.3283, 0.3407, -0.7117, -0.4559],
            ],
        ],
        'etm' => [
            'ETM+, at-sensor reflectance (Huang et al. 2002)',
            'reflectance',
            '/\betm\b|landsat-7/',
            [
                [0.3561, 0.3972, 0.3904, 0.6966, 0.2286, 0.1596],
                [-0.3344, -0.3544, -0.4556, 0.6966, -0.0242, -0.263],
                [0.2626, 0.2141, 0.0926, 0.0656, -0.7629, -0.5388],
            ],
        ],
        'tm' => [
            'TM, reflectance (Crist 1985)',
            'reflectance',
            '/\btm\b|landsat-[45]/',
            [
                [0.2043, 0.4158, 0.5524, 0.5741, 0.3124, 0.2303],
                [-0.1603, -0.2819, -0.4934, 0.794, -0.0002, -0.1446],
                [0.0315, 0.2021, 0.3102, 0.1594, -0.6806, -0.6109],
            ],
        ],
        'tm-counts' => [
            'TM, counts of 8 bits (Crist & Cicone 1984)',
            'counts',
            '/\btm\b|landsat-[45]/',
            [
                [0.3037, 0.2793, 0.4743, 0.5585, 0.5082, 0.1863],
                [-0.2848, -0.2435, -0.5436, 0.7243, 0.084, -0.18],
                [0.1509, 0.1973, 0.3279, 0.3406, -0.7112, -0.4572],
            ],
        ],
    ];

    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.tasselled-cap',
            'Tasselled cap',
            'Computes brightness, greenness and wetness from six bands, by the coefficients published for a sensor.',
            [new Port('image', PortType::Image, 'An image with blue, green, red, nir, swir1 and swir2.', wants: Wants::Reflectance)],
            [
                Setting::choice(
                    'coefficients',
                    array_keys(self::SETS),
                    null,
                    'Sensor of the coefficients. Empty: from the metadata of the image.',
                    array_map(fn (array $set): string => $set[0], self::SETS),
                ),
                ...array_map(fn (string $role): Setting => Setting::band($role, $role, "The band to take for $role: a role, or a number from 1."), self::ROLES),
            ],
            [new Port('result', PortType::Image, 'Brightness, greenness and wetness, in the unit of the image.')],
            'Baig, Zhang, Shuai & Tong 2014, Remote Sensing Letters 5:423–431; Huang et al. 2002, International Journal of Remote Sensing '
                .'23:1741–1748; Crist 1985, Remote Sensing of Environment 17:301–306; Crist & Cicone 1984, IEEE Transactions on Geoscience and Remote '
                .'Sensing 22:256–263 (coefficients from memory, their orthonormality checked).',
            synonyms: ['brightness', 'greenness', 'wetness', 'Kauth-Thomas'],
            example: new Example(['coefficients' => 'tm', 'swir2' => 'swir1']),
            figures: [
                Figure::text('coefficients', 'coefficients'),
                Figure::text('because', 'reason'),
                Figure::table('weights', 'weights', ['band' => null, 'brightness' => null, 'greenness' => null, 'wetness' => null]),
            ],
            desk: new Desk(6, ['{coefficients}'], cautions: [
                Caution::counts('This image is in counts, and most coefficients are for reflectance: calibrate first, or take those for counts.'),
            ]),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        $bands = array_map(fn (string $role): int => $call->band($role), self::ROLES);
        $units = array_unique(array_filter(array_map(fn (int $band): ?string => $spec->bands[$band]->unit, $bands)));
        $told = $call->text('coefficients');
        $name = $told !== '' ? $told : self::proposed($spec, $units === ['counts']);
        if ($name === null) {
            throw Problem::call(
                "{$image->name()} names no sensor with published coefficients: choose them, ".implode(', ', array_keys(self::SETS)).'.',
                'coefficients',
            );
        }
        [$title, $unit, , $rows] = self::SETS[$name];
        $common = count($units) === 1 ? reset($units) : null;
        $compute = LinearForms::of($rows, [0.0, 0.0, 0.0]);

        return new Plan(
            [new Reading($image, $bands)],
            ['result' => $spec->measured(array_map(fn (string $made): Band => new Band(name: $made, unit: $common), self::MADE))],
            fn (array $values): array => ['result' => $compute($values, count($values[0]))],
            figures: [
                'coefficients' => $title,
                'because' => $told !== '' ? 'they were chosen' : 'its metadata name '.self::sensor($spec),
                'weights' => array_map(
                    fn (int $k, int $band): array => ['band' => $spec->bands[$band]->label($band + 1)] + array_combine(self::MADE, array_column($rows, $k)),
                    array_keys($bands),
                    $bands,
                ),
            ] + self::warning($units, $unit),
        );
    }

    /** The coefficients for the sensor that an image says it is of; null where it says nothing, or there are none. */
    public static function proposed(RasterSpec $spec, bool $isCounts): ?string
    {
        foreach (self::SETS as $name => [, $unit, $sensors]) {
            if (preg_match($sensors, strtolower(self::sensor($spec))) && ($unit === 'counts') === $isCounts) {
                return $name;
            }
        }

        return null;
    }

    private static function sensor(RasterSpec $spec): string
    {
        $told = [$spec->properties['platform'] ?? '', ...(array) ($spec->properties['instruments'] ?? [])];

        return trim(implode(' ', array_filter($told, is_string(...))));
    }

    /**
     * @param  array<string>  $units
     * @return array<string, string>
     */
    private static function warning(array $units, string $unit): array
    {
        $others = array_diff($units, [$unit]);

        return $others === [] ? [] : ['warning' => "These coefficients are for $unit, and the image is in ".implode(' and ', $others).'.'];
    }
}
