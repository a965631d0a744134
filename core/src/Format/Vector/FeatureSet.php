<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\OnDatum;
use Chorometra\Core\Geo\Projection;
use Chorometra\Core\Problem;

/**
 * Points, lines and polygons with their attributes, read from a file one by one: memory follows the largest of them. Geometries are those
 * of GeoJSON, in the file's own CRS.
 */
final readonly class FeatureSet
{
    /**
     * @param  string  $name  of the file, for messages
     * @param  string  $format  what kind of file it is, in words
     * @param  Projection|null  $projection  null where the file names no CRS, or one that is not known here
     * @param  string|null  $crs  how the file names its CRS
     * @param  int|null  $count  of features, where that is known before they are read
     * @param  \Closure(): iterable<array{geometry: array<mixed>|null, properties: array<string, mixed>}>  $read  starts from the first
     */
    public function __construct(
        public string $name,
        public string $format,
        public ?Projection $projection,
        public ?string $crs,
        public ?int $count,
        private \Closure $read,
    ) {}

    /** @return array<string, string> what became of places on another datum, for the figures of a step */
    public function datum(): array
    {
        return $this->projection instanceof OnDatum ? ['datum' => $this->projection->datum->words()] : [];
    }

    /** @return \Generator<int, array{geometry: array<string, mixed>|null, properties: array<string, mixed>}> */
    public function features(): \Generator
    {
        foreach (($this->read)() as ['geometry' => $geometry, 'properties' => $properties]) {
            yield ['geometry' => $geometry === null ? null : Geometry::checked($geometry, $this->name), 'properties' => $properties];
        }
    }

    /**
     * How a geometry's type is counted.
     *
     * @param  array<string, mixed>|null  $geometry
     */
    public static function type(?array $geometry): string
    {
        return is_string($geometry['type'] ?? null) ? $geometry['type'] : 'nothing';
    }

    /**
     * All polygons, with their holes, in the map coordinates of a grid.
     *
     * @return \Generator<int, list<list<array{float, float}>>> polygons of rings, the outer one first; rings are closed
     *
     * @throws Problem where there are none, or where they can't be laid over the grid
     */
    public function polygonsOn(Grid $grid, string $about): \Generator
    {
        $onto = $this->onto($grid, $about);
        $found = false;
        foreach ($this->features() as ['geometry' => $geometry]) {
            foreach (self::polygons($geometry) as $polygon) {
                $rings = [];
                foreach ($polygon as $ring) {
                    if (count($ring) >= 4) {
                        $moved = array_map($onto, $ring);
                        PolygonRings::check($moved, $this->name, $about);
                        $rings[] = $moved;
                    }
                }
                if ($rings !== []) {
                    $found = true;
                    yield $rings;
                }
            }
        }
        if (! $found) {
            throw Problem::input("$this->name contains no polygons.", $about);
        }
    }

    /**
     * All points in the map coordinates of a grid.
     *
     * @return \Generator<int, array{float, float}>
     *
     * @throws Problem where they can't be laid over the grid
     */
    public function pointsOn(Grid $grid, string $about): \Generator
    {
        $onto = $this->onto($grid, $about);
        foreach ($this->features() as ['geometry' => $geometry]) {
            foreach (
                match ($geometry['type'] ?? null) {
                    'Point' => [$geometry['coordinates'] ?? []],
                    'MultiPoint' => $geometry['coordinates'] ?? [],
                    default => [],
                } as $place
            ) {
                yield $onto($place);
            }
        }
    }

    /**
     * @return \Closure(array<mixed>): array{float, float} from a place of the file to the map coordinates of a grid
     *
     * @throws Problem where there is no way
     */
    private function onto(Grid $grid, string $about): \Closure
    {
        $to = Crs::ofGrid($grid);
        if ($this->projection === null) {
            throw Problem::input(
                $this->crs === null ? "$this->name has no CRS: read it as a vector file with its crs set."
                    : "$this->name is in $this->crs, which is not supported.",
                $about,
            );
        }
        if ($to === null) {
            throw Problem::input("$this->name can't be placed on the image: the CRS of the image is not supported.", $about);
        }

        return fn (array $place): array => $to->forward(...$this->projection->inverse((float) $place[0], (float) $place[1]));
    }

    /**
     * @param  array<string, mixed>|null  $geometry
     * @return list<list<list<array{float, float}>>>
     */
    public static function polygons(?array $geometry): array
    {
        return match ($geometry['type'] ?? null) {
            'Polygon' => [$geometry['coordinates'] ?? []],
            'MultiPolygon' => $geometry['coordinates'] ?? [],
            'GeometryCollection' => array_merge([], ...array_map(self::polygons(...), $geometry['geometries'] ?? [])),
            default => [],
        };
    }
}
