<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Raster\SlopeLight;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;

/** What heights tell of the ground: how steep it is, which way it falls, and how light falls on it. */
final class Terrain extends LocalKind
{
    /** Where light comes from when nobody says: from the upper left, as relief is read best. */
    private const USUAL = 315.0;

    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.terrain',
            'Slope, aspect, hillshade',
            'Computes slope, aspect, hillshade and illumination from an elevation model.',
            [
                new Port(
                    'elevation',
                    PortType::Image,
                    'An elevation model, with elevations in map units, or in metres where those are degrees.',
                    wants: Wants::Heights,
                ),
            ],
            [
                Setting::choices('measures', ['slope', 'aspect', 'shade', 'light'], ['slope', 'aspect', 'shade'], 'Measures to compute, one band each.'),
                Setting::choice('slope-in', ['degrees', 'percent'], 'degrees', 'Unit of slope.', [
                    'degrees' => 'angle',
                    'percent' => 'rise over run, in per cent',
                ]),
                Setting::numbers('directions', 'Illumination azimuths, clockwise from north; hillshades of several are averaged. Empty: 315.', '°'),
                Setting::number('sun-elevation', 45.0, 'Elevation of the light source above the horizon.', '°', 0.1, 90),
            ],
            [new Port('result', PortType::Image, 'One band per measure.')],
            'Slope and aspect: Horn 1981, Proceedings of the IEEE 69:14–47, by third-order differences. Shade: the cosine of incidence, 0 where the '
                .'ground is turned away (Horn 1981). Means over several directions: common practice, no source.',
            synonyms: ['relief', 'elevation model', 'shaded relief'],
            example: new Example(['measures' => 'slope,shade', 'directions' => '315,45']),
            desk: new Desk(8, ['{measures}']),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image('elevation');
        $spec = $image->spec();
        $grid = $spec->grid;
        if ($spec->content !== Content::Image) {
            throw Problem::input("{$image->name()} contains class codes, not elevations.", 'elevation');
        }
        if (count($spec->bands) !== 1) {
            throw Problem::input("{$image->name()} has several bands; an elevation model has one.", 'elevation');
        }
        if (! $grid->isReferenced() || $grid->controls !== null) {
            throw Problem::input("{$image->name()} has no georeference, so the distance between its elevations is unknown.", 'elevation');
        }
        $measures = $call->texts('measures');
        $directions = $call->numbers('directions') ?: [self::USUAL];
        foreach ($directions as $direction) {
            if ($direction < 0 || $direction > 360) {
                throw Problem::call("The direction $direction is out of range: 0 to 360 degrees.", 'directions');
            }
        }
        $isPercent = $call->text('slope-in') === 'percent';
        $units = ['slope' => $isPercent ? '%' : '°', 'aspect' => '°', 'shade' => null, 'light' => null];
        $elevation = $call->number('sun-elevation');

        return new Plan(
            [new Reading($image, [0])],
            ['result' => $spec->measured(array_map(
                fn (string $measure): Band => new Band(name: $measure, unit: $units[$measure], scale: $measure === 'aspect' ? Scale::Cyclic : null),
                $measures,
            ))],
            function (array $blocks, RowBlock $rows) use ($grid, $measures, $directions, $isPercent, $elevation): array {
                return ['result' => self::measures($blocks[0], $rows, $grid, $measures, $directions, $elevation, $isPercent)];
            },
            halo: 1,
        );
    }

    /**
     * @param  list<float>  $dem  heights with the halo
     * @param  list<string>  $measures
     * @param  list<float>  $directions  degrees from north over east
     * @param  float  $elevation  degrees of the light above the horizon
     * @return list<list<float>>
     */
    public static function measures(array $dem, RowBlock $rows, Grid $grid, array $measures, array $directions, float $elevation, bool $isPercent): array
    {
        [$east, $north] = SlopeLight::rises($dem, $rows, $grid);
        $count = count($east);
        $light = fn (float $azimuth): array => self::light(
            $east,
            $north,
            $count,
            sin(deg2rad($elevation)),
            cos(deg2rad($elevation)) * sin(deg2rad($azimuth)),
            cos(deg2rad($elevation)) * cos(deg2rad($azimuth)),
        );

        return array_map(fn (string $measure): array => match ($measure) {
            'slope' => self::slopes($east, $north, $count, $isPercent),
            'aspect' => self::aspects($east, $north, $count),
            'light' => $light($directions[0]),
            default => self::shade(array_map($light, $directions), $count),
        }, $measures);
    }

    /**
     * @param  list<float>  $east
     * @param  list<float>  $north
     * @return list<float> degrees, or per cent
     */
    private static function slopes(array $east, array $north, int $count, bool $isPercent): array
    {
        for ($i = 0; $i < $count; $i++) {
            $rise = sqrt($east[$i] * $east[$i] + $north[$i] * $north[$i]);
            $east[$i] = $isPercent ? 100.0 * $rise : 57.29577951308232 * atan($rise);
        }

        return $east;
    }

    /**
     * Where water would run to.
     *
     * @param  list<float>  $east
     * @param  list<float>  $north
     * @return list<float> degrees from north over east, 0 to 360; NaN where it is level
     */
    private static function aspects(array $east, array $north, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $x = $east[$i];
            $y = $north[$i];
            if ($x === 0.0 && $y === 0.0) {
                $east[$i] = NAN;
            } else {
                $angle = 57.29577951308232 * atan2(-$x, -$y);
                $east[$i] = $angle < 0.0 ? $angle + 360.0 : $angle;
            }
        }

        return $east;
    }

    /**
     * Cosine of incidence.
     *
     * @param  list<float>  $east
     * @param  list<float>  $north
     * @param  float  $up  of the direction to the light, towards the zenith; $x to the east, $y to the north
     * @return list<float>
     */
    private static function light(array $east, array $north, int $count, float $up, float $x, float $y): array
    {
        for ($i = 0; $i < $count; $i++) {
            $dx = $east[$i];
            $dy = $north[$i];
            $east[$i] = ($up - $x * $dx - $y * $dy) / sqrt(1.0 + $dx * $dx + $dy * $dy);
        }

        return $east;
    }

    /**
     * @param  list<list<float>>  $lights
     * @return list<float> 0 to 1
     */
    private static function shade(array $lights, int $count): array
    {
        $sum = array_fill(0, $count, 0.0);
        $share = 1.0 / count($lights);
        foreach ($lights as $light) {
            for ($i = 0; $i < $count; $i++) {
                $sum[$i] += $light[$i] < 0.0 ? 0.0 : $share * $light[$i];
            }
        }

        return $sum;
    }
}
