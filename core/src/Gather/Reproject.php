<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\GridMapping;
use Chorometra\Core\Geo\TargetGrid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Raster\WithNodata;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Grids;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** An image brought onto another grid. */
final class Reproject extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.reproject',
            'Reproject or resample',
            'Brings an image into another CRS, to another pixel size, or exactly onto the grid of another image.',
            [
                new Port('image', PortType::Image, 'The image to reproject.'),
                new Port('align-to', PortType::Image, 'An image whose grid the result adopts.', required: false),
            ],
            [
                Setting::whole('crs', null, 'EPSG code of the target CRS. Empty: the CRS of the image.', least: 1024, most: 32766),
                Setting::number('pixel-size', null, 'Pixel size of the result in units of the CRS. Empty: unchanged.', least: 1e-9),
                Setting::choice('resampling', Resampling::names(), 'nearest', 'Resampling method.', Resampling::MEANINGS),
            ],
            [new Port('result', PortType::Image, 'The image on the new grid.')],
            'Projections: Snyder 1987, USGS Professional Paper 1395; Karney 2011, Journal of Geodesy 85:475–485. Cubic convolution: Keys 1981, IEEE '
                .'Transactions on Acoustics, Speech, and Signal Processing 29:1153–1160.',
            synonyms: ['warp', 'resampling', 'projection', 'align', 'coordinate system'],
            example: new Example(['crs' => '3035', 'resampling' => 'cubic']),
            figures: [
                Figure::text('from', 'from'),
                Figure::text('to', 'to'),
                Figure::text('crs', 'CRS'),
            ],
            desk: new Desk(6, ['EPSG:{crs}', '{resampling}'], grids: Grids::Aligns, moves: true, makes: 'reprojected image'),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $resampling = Resampling::from($call->text('resampling'));
        $resampling->check($image);
        Crs::needMap($image->spec()->grid, $image->name(), 'image');
        $grid = $this->grid($call, $image);
        self::meets($call, $image, $grid);
        $image = WithNodata::of($image, $call->context);
        $warped = new Warped($image, $grid, $resampling);
        $spec = $warped->spec();

        return new Plan(
            [new Reading($warped, array_keys($spec->bands), $spec->content !== Content::Image)],
            ['result' => $spec],
            fn (array $bands): array => ['result' => $bands],
            figures: ['from' => $image->spec()->grid->describe(), 'to' => $grid->describe(), 'crs' => Crs::name($grid->epsg)] +
                Crs::datums($image->spec()->grid, $grid) +
                WithNodata::figures($image),
        );
    }

    private function grid(Call $call, Image $image): Grid
    {
        $crs = $call->whole('crs') ?: null;
        $pixel = is_nan($call->number('pixel-size')) ? null : $call->number('pixel-size');
        if ($call->hasInput('align-to')) {
            if ($crs !== null || $pixel !== null) {
                throw Problem::call('Either an image to align to, or a CRS and pixel size: not both.', $crs !== null ? 'crs' : 'pixel-size');
            }

            return $call->image('align-to')->spec()->grid;
        }
        if ($crs === null && $pixel === null) {
            throw Problem::call('Give a target: an image to align to, a CRS, or a pixel size.', 'crs');
        }

        return TargetGrid::grid($image->spec()->grid, $crs, $pixel, $image->name());
    }

    /** Refuses a grid in which nothing of the image would lie. */
    private static function meets(Call $call, Image $image, Grid $grid): void
    {
        $source = $image->spec()->grid;
        $mapping = new GridMapping($grid, $source, $image->name());
        $back = new GridMapping($source, $grid, $image->name());
        for ($i = 0; $i <= 32; $i++) {
            for ($j = 0; $j <= 32; $j++) {
                [$c, $r] = $mapping->at(($grid->width * $i) / 32, ($grid->height * $j) / 32);
                [$d, $s] = $back->at(($source->width * $i) / 32, ($source->height * $j) / 32);
                if (
                    ($c >= 0 && $r >= 0 && $c <= $source->width && $r <= $source->height) ||
                    ($d >= 0 && $s >= 0 && $d <= $grid->width && $s <= $grid->height)
                ) {
                    return;
                }
            }
        }
        throw Problem::input("{$image->name()} and {$call->image('align-to')->name()} have no place in common.", 'align-to');
    }
}
