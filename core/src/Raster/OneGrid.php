<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Problem;

/** That images lie on one grid: same size, transform and CRS. */
final class OneGrid
{
    /**
     * @param  list<Image>  $images
     * @param  string|null  $about  the input that is wrong where they do not
     *
     * @throws Problem where one is on another grid than the first
     */
    public static function check(array $images, ?string $about = null): void
    {
        foreach (array_slice($images, 1) as $image) {
            [$first, $own] = [$images[0]->spec()->grid, $image->spec()->grid];
            if (! $own->matches($first)) {
                throw Problem::input(
                    "{$images[0]->name()} and {$image->name()} are not on one grid: the first is {$first->describe()}, the second {$own->describe()}. "
                        .'Resample one of them to the grid of the other first.',
                    $about,
                );
            }
        }
    }
}
