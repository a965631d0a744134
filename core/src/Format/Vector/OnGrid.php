<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\PolygonMask;

/** Points and polygons of a file as pixels of a grid. */
final class OnGrid
{
    /**
     * One feature of a set.
     *
     * @param  array<string, mixed>|null  $geometry
     * @param  string  $called  how a message names it
     * @return PolygonMask|list<array{float, float}> what lies inside, or columns and rows of points
     *
     * @throws Problem where it is neither, or can't be laid over the grid
     */
    public static function of(FeatureSet $set, ?array $geometry, Grid $grid, string $about, string $called): PolygonMask|array
    {
        $one = new FeatureSet($set->name, $set->format, $set->projection, $set->crs, 1, fn (): array => [['geometry' => $geometry, 'properties' => []]]);
        if (FeatureSet::polygons($geometry) !== []) {
            return new PolygonMask($one->polygonsOn($grid, $about), $grid);
        }
        $points = [];
        foreach ($one->pointsOn($grid, $about) as [$x, $y]) {
            $points[] = $grid->toPixel($x, $y);
        }
        if ($points === []) {
            throw Problem::input("$set->name: $called is neither a point nor a polygon.", $about);
        }

        return $points;
    }
}
