<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\LambertAzimuthal;
use Chorometra\Core\Geo\Projection;
use Chorometra\Core\Problem;

/** The outlines of two files laid over each other on an equal-area plane around their middle, so that areas are those on the ground. */
final readonly class Overlaid
{
    /** @param  Projection  $plane  in metres */
    private function __construct(public Overlay $overlay, public Projection $plane) {}

    /** @throws Problem where a file holds no polygons, or names no CRS that is known */
    public static function files(string $first, string $firstAbout, string $second, string $secondAbout): self
    {
        $sets = [self::earth($first, $firstAbout), self::earth($second, $secondAbout)];
        [$west, $east, $south, $north] = [INF, -INF, INF, -INF];
        foreach ([...$sets[0], ...$sets[1]] as $rings) {
            foreach ($rings[0] as [$longitude, $latitude]) {
                [$west, $east, $south, $north] = [min($west, $longitude), max($east, $longitude), min($south, $latitude), max($north, $latitude)];
            }
        }
        $plane = new LambertAzimuthal(0.5 * ($south + $north), 0.5 * ($west + $east));
        $laid = array_map(fn (array $polygons): array => array_map(fn (array $rings): array => array_map(
            fn (array $ring): array => array_map(fn (array $place): array => $plane->forward(...$place), $ring), $rings), $polygons), $sets);

        return new self(new Overlay($laid[0], $laid[1]), $plane);
    }

    /**
     * Polygons of the plane in longitude and latitude.
     *
     * @param  list<list<array{float, float}>>  $rings
     * @return list<list<array{float, float}>>
     */
    public function onEarth(array $rings): array
    {
        return array_map(fn (array $ring): array => array_map(
            fn (array $place): array => array_map(fn (float $degrees): float => round($degrees, 10), $this->plane->inverse(...$place)),
            $ring,
        ), $rings);
    }

    /** @return list<list<list<array{float, float}>>> polygons in longitude and latitude */
    private static function earth(string $path, string $about): array
    {
        $set = Vectors::read($path);
        $projection = $set->projection ?? throw Problem::input(
            $set->crs === null ? "$set->name has no CRS: read it as a vector file with its crs set." : "$set->name is in $set->crs, which is not supported.",
            $about,
        );
        $polygons = [];
        foreach ($set->features() as ['geometry' => $geometry]) {
            foreach (FeatureSet::polygons($geometry) as $polygon) {
                $rings = [];
                foreach ($polygon as $ring) {
                    if (count($ring) >= 4) {
                        $moved = array_map(fn (array $place): array => $projection->inverse((float) $place[0], (float) $place[1]), $ring);
                        PolygonRings::check($moved, $set->name, $about);
                        $rings[] = $moved;
                    }
                }
                if ($rings !== []) {
                    $polygons[] = $rings;
                }
            }
        }

        return $polygons !== [] ? $polygons : throw Problem::input("$set->name contains no polygons.", $about);
    }
}
