<?php

namespace Chorometra\Core\Classify;

use Chorometra\Core\Classify\Maps\Recoding;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\Call;
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

/** Classes of a map joined, renamed, put in another order. */
final class Recode extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'classify.recode',
            'Recode classes',
            'Merges, renames or reorders the classes of a map.',
            [new Port('classes', PortType::Classes, 'The class map.')],
            [
                Setting::text('lines', null, 'One new class per line with the old classes it replaces, by name or by code as #1: “water = deep water, '
                    .'shallow water”. A colour may follow the name: “water #3f7fb0 = …”. Without one: the colour of the first.', required: true)
                    ->ofLines(),
                Setting::choice('others', ['keep', 'give-back'], 'keep', 'Classes that no line names.', [
                    'keep' => 'kept as classes of their own, after the others',
                    'give-back' => 'set to unlabelled',
                ]),
            ],
            [new Port('classes', PortType::Classes, 'The map with its new legend; codes count from 1 in the order of the lines.')],
            'A table of codes; common practice, no source.',
            synonyms: ['reclassify', 'merge classes', 'rename classes'],
            example: new Example(['lines' => 'both = 1, 2']),
            figures: [Figure::table('joined', 'classes', ['class' => null, 'code' => null, 'from' => null])],
            desk: new Desk(5, ['{lines}']),
        );
    }

    public function plan(Call $call): Plan
    {
        $map = $call->image('classes');
        $spec = $map->spec();
        $recoding = Recoding::of($map, $call->text('lines'), $call->text('others') === 'keep');
        $made = RasterSpec::classes($spec->grid, $recoding->legend, $spec->properties);
        $most = $spec->type->bytes() === 1 ? 256 : 65536;
        $nodata = (int) $made->nodata;
        $table = array_fill(0, $most, $nodata);
        // codes that have no name are classes too
        for ($code = 0; $code < $most; $code++) {
            $table[$code] = $recoding->codes[$code] ?? 0;
        }
        if ($spec->nodata !== null && $spec->nodata >= 0 && $spec->nodata < $most) {
            $table[(int) $spec->nodata] = $nodata;
        }

        return new Plan(
            [new Reading($map, [0], codes: true)],
            ['classes' => $made],
            function (array $bands) use ($table): array {
                /** @var list<int> $codes */
                [$codes] = $bands;

                return ['classes' => [self::mapped($codes, $table, count($codes))]];
            },
            figures: ['joined' => $recoding->rows()],
        );
    }

    /**
     * @param  list<int>  $codes
     * @param  list<int>  $table
     * @return list<int>
     */
    public static function mapped(array $codes, array $table, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $codes[$i] = $table[$codes[$i]];
        }

        return $codes;
    }
}
