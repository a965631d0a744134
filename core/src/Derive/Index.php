<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Arithmetic\Indices;
use Chorometra\Core\Raster\Band;
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

/** One number per pixel out of two or more bands. */
final class Index extends LocalKind
{
    private const ROLES = ['blue', 'green', 'red', 'rededge', 'nir', 'swir1', 'swir2'];

    public function declaration(): Declaration
    {
        $sources = array_map(fn (string $name, array $row): string => "$name: $row[1] ($row[2])", array_keys(Indices::TABLE), Indices::TABLE);

        return new Declaration(
            'derive.index',
            'Spectral index',
            'Computes a spectral index, such as one for vegetation or water, from the bands of an image.',
            [
                new Port(
                    'image',
                    PortType::Image,
                    'A calibrated image; indices computed from counts are not comparable between scenes.',
                    wants: Wants::Reflectance,
                ),
            ],
            [
                Setting::choice(
                    'index',
                    array_keys(Indices::TABLE),
                    'ndvi',
                    'Spectral index.',
                    array_map(fn (array $row): string => "$row[0], $row[1]", Indices::TABLE),
                ),
                ...array_map(fn (string $role): Setting => Setting::band($role, $role, "The band to take for $role: a role, or a number from 1."), self::ROLES),
            ],
            [new Port('result', PortType::Image, 'The index, one band.')],
            implode('; ', $sources).' (from memory).',
            synonyms: ['NDVI', 'vegetation index', 'water index', 'band ratio'],
            example: new Example(['index' => 'ndvi']),
            figures: [
                Figure::text('index', 'index'),
                Figure::text('formula', 'formula'),
                Figure::text('bands', 'bands'),
                Figure::text('source', 'source'),
            ],
            desk: new Desk(2, ['{index}'], isNamed: true, cautions: [
                Caution::counts('This image is in counts: an index of it can’t be compared with that of another scene. Calibrate first.'),
            ]),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $name = $call->text('index');
        [$title, $text, $source] = Indices::TABLE[$name];
        $formula = new Formula($text);
        $bands = array_map(fn (string $role): int => $call->band($role), $formula->names());
        $compute = $formula->compile();

        return new Plan(
            [new Reading($image, $bands)],
            ['result' => $image->spec()->measured([new Band(name: $name)])],
            fn (array $values): array => ['result' => $compute($values, count($values[0]))],
            figures: [
                'index' => $title,
                'formula' => $text,
                'bands' => array_combine(
                    $formula->names(),
                    array_map(fn (int $band): string => $band + 1 .' '.$image->spec()->bands[$band]->label($band + 1), $bands),
                ),
                'source' => $source,
            ],
        );
    }
}
