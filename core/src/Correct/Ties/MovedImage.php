<?php

namespace Chorometra\Core\Correct\Ties;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Cartesian;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Raster\WithNodata;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Work;

/** An image moved by a transform that was found, written as the output “result”. */
final class MovedImage
{
    /**
     * Phases turn over at π: magnitude and phase are moved as real and imaginary parts, so that the phase is kept.
     *
     * @param  \Closure(float, float): array{float, float}  $bend  from positions of the grid to where they lie, on the same grid, in the image
     * @return array<string, mixed> figures
     */
    public static function write(Call $call, Work $work, Image $image, Grid $grid, \Closure $bend): array
    {
        $isPolar = Cartesian::applies($image);
        $image = WithNodata::of($image, $call->context);
        $moved = new Warped($isPolar ? new Cartesian($image) : $image, $grid, Resampling::from($call->text('resampling')), bend: $bend);
        $spec = $isPolar ? $image->spec()->with(grid: $grid)->measured() : $moved->spec();

        return WithNodata::figures($image) + $work->part(0.5, 1.0)->make(['result' => $spec], fn (Window $window): array => [
            'result' => array_map(fn (int $index): array => self::plane($moved, $spec, $index, $window), array_keys($spec->bands)),
        ], 4 + count($spec->bands));
    }

    /** @return list<float>|list<int> */
    private static function plane(Warped $moved, RasterSpec $spec, int $index, Window $window): array
    {
        if ($spec->content !== Content::Image) {
            return Codec::codes($moved->read($index, $window), $spec->type);
        }
        $part = $spec->bands[$index]->part;
        $partner = Cartesian::partner($spec, $index);
        if ($partner === $index || ($part !== 'magnitude' && $part !== 'phase')) {
            return $moved->values($index, $window);
        }
        [$own, $other] = [$moved->values($index, $window), $moved->values($partner, $window)];

        return $part === 'magnitude' ? Cartesian::polar($own, $other, false) : Cartesian::polar($other, $own, true);
    }
}
