<?php

namespace Chorometra\Core\Classify;

use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Regions\Numbers\Majority;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;

/** Each segment takes the class that most of its pixels have. */
final class Fill implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'classify.fill',
            'Majority class per segment',
            'Assigns to each segment the most frequent class of its pixels in a map.',
            [
                new Port('classes', PortType::Classes, 'The class map.'),
                new Port('segments', PortType::Segments, 'Segments on the same grid.'),
                new Port('points', PortType::Points, 'Check points with labels, counted before and after.', required: false),
            ],
            [Setting::number('least', 0.0, 'Least share of the majority class in a segment; below it the segment is left unlabelled.', '%', 0, 100)],
            [
                new Port('classes', PortType::Classes, 'The resulting class map; pixels outside all segments are left unchanged.'),
                new Port('confidence', PortType::Image, 'Share of the majority class in each segment, 0 to 1.', required: false),
            ],
            'The class that occurs most often; ties go to the lower code. That it may lower the accuracy of a map: common practice, no source.',
            synonyms: ['majority', 'class per object'],
            figures: [
                Figure::number('segments', 'segments'),
                Figure::number('changed', 'pixels changed', 'pixels'),
                Figure::share('changedShare', 'of all classified pixels'),
                Figure::number('unlabelledSegments', 'segments left unlabelled'),
                Figure::table('checked', 'check points', ['map' => null, 'right' => null, 'of' => null, 'share' => '%']),
                Figure::text('advice', 'remarks'),
            ],
            desk: new Desk(2),
        );
    }

    public function run(Call $call, Work $work): array
    {
        [$map, $segments] = [$call->image('classes'), $call->image('segments')];
        OneGrid::check([$segments, $map]);
        $majority = Majority::of($segments, $map, $call->context->part(0.0, 0.35));
        if ($majority->codes === []) {
            throw Problem::input("No segment of {$segments->name()} has a class in {$map->name()}: there is nothing to fill with.", 'segments');
        }
        $least = $call->share('least');
        $codes = array_fill(0, $majority->most + 1, -1);
        $shares = array_fill(0, $majority->most + 1, NAN);
        $unlabelled = 0;
        foreach ($majority->codes as $label => $code) {
            $isEnough = $majority->shares[$label] >= $least;
            $codes[$label] = $isEnough ? $code : 0;
            $shares[$label] = $isEnough && $code !== 0 ? $majority->shares[$label] : NAN;
            $unlabelled += $codes[$label] === 0 ? 1 : 0;
        }
        $spec = $map->spec();
        $nodata = $spec->nodataCode();
        $specs = [
            'classes' => $spec,
            'confidence' => new RasterSpec($spec->grid, [new Band(name: 'confidence', scale: Scale::Probability)], properties: $spec->properties),
        ];
        $isTold = isset($call->outputs['confidence']);
        $report = $work->part(0.35, 1.0)->make($specs, function (Window $window) use ($map, $segments, $codes, $shares, $isTold): array {
            [$own, $labels] = [Values::codes($map, $window), Values::codes($segments, $window)];
            $made = ['classes' => [self::filled($own, $labels, $codes, count($own), count($codes))]];

            return $isTold ? $made + ['confidence' => [self::shares($labels, $shares, count($labels), count($shares))]] : $made;
        });
        $changed = $majority->changing($codes);
        $all = array_sum(array_column($report['classes']['classes'] ?? [], 'pixels'));
        $checked = $call->hasInput('points') ? $this->checked($call, $map, $segments, $codes, $nodata) : [];

        return [
            'segments' => count($majority->codes),
            'changed' => $changed,
            'changedShare' => $all > 0 ? $changed / $all : 0.0,
            'unlabelledSegments' => $unlabelled,
            'advice' => 'The majority class makes a map cleaner but may make it less accurate: '
                .($checked === [] ? 'compare both at check points.' : 'see the accuracy at check points before and after.'),
        ] + ($checked === [] ? [] : ['checked' => $checked]) + $report;
    }

    /**
     * Points whose label is the class there.
     *
     * @param  list<int>  $codes
     * @return list<array{map: string, right: int, of: int, share: float}>
     */
    private function checked(Call $call, Image $map, Image $segments, array $codes, int $nodata): array
    {
        $grid = $map->spec()->grid;
        $legend = $map->spec()->legend ?? new Legend([]);
        $right = ['before' => 0, 'after' => 0];
        $of = 0;
        foreach (LabelledPoints::read($call->path('points'), $grid->epsg) as ['x' => $x, 'y' => $y, 'label' => $label]) {
            [$col, $row] = array_map(fn (float $at): int => (int) floor($at), $grid->toPixel($x, $y));
            $code = $label === null ? null : ClassCodes::find($legend, $label, 'points');
            if ($code === null || $col < 0 || $row < 0 || $col >= $grid->width || $row >= $grid->height) {
                continue;
            }
            $window = new Window($col, $row, 1, 1);
            [$own, $number] = [Values::codes($map, $window)[0], Values::codes($segments, $window)[0]];
            if ($own === $nodata) {
                continue;
            }
            $of++;
            $right['before'] += $own === $code ? 1 : 0;
            $right['after'] += (($codes[$number] ?? -1) < 0 ? $own : $codes[$number]) === $code ? 1 : 0;
        }

        return $of === 0 ? [] : array_map(
            fn (string $when): array => ['map' => $when, 'right' => $right[$when], 'of' => $of, 'share' => $right[$when] / $of],
            array_keys($right),
        );
    }

    /**
     * @param  list<int>  $own
     * @param  list<int>  $labels
     * @param  list<int>  $codes  by segment up to $most; −1 where the map keeps its own
     * @return list<int>
     */
    public static function filled(array $own, array $labels, array $codes, int $count, int $most): array
    {
        for ($i = 0; $i < $count; $i++) {
            $label = $labels[$i];
            if ($label > 0 && $label < $most && $codes[$label] > -1) {
                $own[$i] = $codes[$label];
            }
        }

        return $own;
    }

    /**
     * @param  list<int>  $labels
     * @param  list<float>  $shares
     * @return list<float>
     */
    private static function shares(array $labels, array $shares, int $count, int $most): array
    {
        $values = array_fill(0, $count, NAN);
        for ($i = 0; $i < $count; $i++) {
            $label = $labels[$i];
            if ($label > 0 && $label < $most) {
                $values[$i] = $shares[$label];
            }
        }

        return $values;
    }
}
