<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\WithNodata;
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

/** The part of an image that lies in a box or in polygons; its pixels stay where they are. */
final class Subset extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.subset',
            'Subset',
            'Cuts an image to a box or to polygons, so that later steps process less.',
            [
                new Port('image', PortType::Image, 'The image to cut.'),
                new Port('area', PortType::Features, 'Polygons to cut to: GeoJSON, GeoPackage or shapefile.', required: false),
            ],
            [
                Setting::numbers('bounds', 'A box in map coordinates of the image: west, south, east, north.'),
                Setting::choice('outside', ['nodata', 'crop'], 'nodata', 'Pixels outside the polygons.', [
                    'nodata' => 'set to nodata',
                    'crop' => 'kept, within the bounding box of the polygons',
                ]),
            ],
            [new Port('result', PortType::Image, 'The subset.')],
            'A pixel belongs to a polygon when its centre lies in it; even-odd rule. Common practice, no source.',
            synonyms: ['clip', 'crop', 'cut out', 'area of interest'],
            example: new Example([], ['area']),
            figures: [
                Figure::list('columns', 'columns'),
                Figure::list('rows', 'rows'),
                Figure::share('kept', 'kept'),
            ],
            desk: new Desk(5),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        $area = $call->hasInput('area') ? Vectors::read($call->path('area')) : null;
        $mask = $area === null ? null : new PolygonMask($area->polygonsOn($spec->grid, 'area'), $spec->grid);
        $bounds = $call->numbers('bounds');
        if ($mask === null && $bounds === []) {
            throw Problem::call('Give what to cut to: a box (bounds) or polygons (area).', 'bounds');
        }
        $window = new Window(0, 0, $spec->grid->width, $spec->grid->height);
        if ($bounds !== []) {
            $window = self::meet($window, self::window($bounds, $spec->grid), $image, 'bounds');
        }
        if ($mask !== null) {
            $window = self::meet($window, $mask->bounds, $image, 'area');
        }
        $cuts = $mask !== null && $call->text('outside') === 'nodata';
        if ($cuts) {
            $image = WithNodata::of($image, $call->context);
            $spec = $image->spec();
        }
        $codes = $spec->content !== Content::Image;
        $crop = new Crop($image, $window);

        return new Plan(
            [new Reading($crop, array_keys($spec->bands), $codes)],
            ['result' => $crop->spec()],
            function (array $bands, RowBlock $rows) use ($mask, $cuts, $window, $codes, $spec): array {
                if ($mask !== null && $cuts) {
                    $part = new Window($window->col, $window->row + $rows->first, $window->width, $rows->rows);
                    $bands = array_map(fn (array $band): array => $mask->cut($band, $part, $codes ? (int) $spec->nodata : NAN), $bands);
                }

                return ['result' => $bands];
            },
            figures: [
                'columns' => [$window->col, $window->col + $window->width],
                'rows' => [$window->row, $window->row + $window->height],
                'kept' => $window->pixels() / ($spec->grid->width * $spec->grid->height),
            ] +
                ($area?->datum() ?? []) +
                WithNodata::figures($image),
        );
    }

    /**
     * The pixels whose centres lie in a box.
     *
     * @param  list<float>  $bounds
     *
     * @throws Problem where the box is not four numbers in order
     */
    public static function window(array $bounds, Grid $grid): Window
    {
        if (count($bounds) !== 4 || $bounds[0] >= $bounds[2] || $bounds[1] >= $bounds[3]) {
            throw Problem::call('The box needs four numbers: west, south, east, north, west below east and south below north.', 'bounds');
        }
        $corners = [
            $grid->toPixel($bounds[0], $bounds[1]),
            $grid->toPixel($bounds[2], $bounds[1]),
            $grid->toPixel($bounds[2], $bounds[3]),
            $grid->toPixel($bounds[0], $bounds[3]),
        ];
        $cols = array_map(fn (float $at): int => (int) ceil(max(-1e9, min(1e9, $at)) - 0.5 - 1e-9), array_column($corners, 0));
        $rows = array_map(fn (float $at): int => (int) ceil(max(-1e9, min(1e9, $at)) - 0.5 - 1e-9), array_column($corners, 1));

        return new Window(min($cols), min($rows), max($cols) - min($cols), max($rows) - min($rows));
    }

    private static function meet(Window $one, Window $other, Image $image, string $about): Window
    {
        $col = max($one->col, $other->col);
        $row = max($one->row, $other->row);
        $met = new Window(
            $col,
            $row,
            min($one->col + $one->width, $other->col + $other->width) - $col,
            min($one->row + $one->height, $other->row + $other->height) - $row,
        );
        if ($met->isEmpty()) {
            throw Problem::input(
                ($about === 'area' ? 'The polygons are' : 'The box is')." outside {$image->name()}, which is {$image->spec()->grid->describe()}.",
                $about,
            );
        }

        return $met;
    }
}
