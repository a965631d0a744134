<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Projection;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Grid;

/** Points, lines and polygons with their attributes, as read from a file. Geometries are those of GeoJSON, in the file's own CRS. */
final readonly class FeatureSet
{
    /**
     * @param  string  $name  of the file, for messages
     * @param  string  $format  what kind of file it is, in words
     * @param  Projection|null  $projection  null where the file names no CRS, or one that is not known here
     * @param  string|null  $crs  how the file names its CRS
     * @param  list<array{geometry: array<string, mixed>|null, properties: array<string, mixed>}>  $features
     */
    public function __construct(public string $name, public string $format, public ?Projection $projection, public ?string $crs, public array $features) {}

    /** @return array<string, int> how many of each geometry type */
    public function counts(): array
    {
        $counts = [];
        foreach ($this->features as ['geometry' => $geometry]) {
            $type = is_string($geometry['type'] ?? null) ? $geometry['type'] : 'nothing';
            $counts[$type] = ($counts[$type] ?? 0) + 1;
        }

        return $counts;
    }

    /**
     * All polygons, with their holes, in the map coordinates of a grid.
     *
     * @return list<list<list<array{float, float}>>> polygons of rings, the outer one first; rings are closed
     *
     * @throws Problem where there are none, or where they can't be laid over the grid
     */
    public function polygonsOn(Grid $grid, string $about): array
    {
        $to = Crs::ofGrid($grid);
        if ($this->projection === null) {
            throw Problem::input($this->crs === null ? "$this->name names no CRS: say which it is in." : "$this->name is in $this->crs, which is not known here.", $about);
        }
        if ($to === null) {
            throw Problem::input("$this->name can't be laid over the image: the image has no CRS that is known here.", $about);
        }
        $polygons = [];
        foreach ($this->features as ['geometry' => $geometry]) {
            foreach (self::polygons($geometry) as $polygon) {
                $rings = [];
                foreach ($polygon as $ring) {
                    $moved = array_map(fn (array $place): array => $to->forward(...$this->projection->inverse((float) $place[0], (float) $place[1])), $ring);
                    if (count($moved) >= 4) {
                        Rings::check($moved, $this->name, $about);
                        $rings[] = $moved;
                    }
                }
                if ($rings !== []) {
                    $polygons[] = $rings;
                }
            }
        }
        if ($polygons === []) {
            throw Problem::input("$this->name holds no polygons.", $about);
        }

        return $polygons;
    }

    /**
     * @param  array<string, mixed>|null  $geometry
     * @return list<list<list<array{float, float}>>>
     */
    private static function polygons(?array $geometry): array
    {
        return match ($geometry['type'] ?? null) {
            'Polygon' => [$geometry['coordinates'] ?? []],
            'MultiPolygon' => $geometry['coordinates'] ?? [],
            'GeometryCollection' => array_merge([], ...array_map(self::polygons(...), $geometry['geometries'] ?? [])),
            default => [],
        };
    }
}
