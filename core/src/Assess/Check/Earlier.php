<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;

/** Points that were drawn before and stay, with all that was said of them. */
final readonly class Earlier
{
    /** WGS 84 in longitude and latitude. */
    private const DEGREES = 4326;

    /**
     * @param  list<array<string, mixed>>  $features  in longitude and latitude, with all that is told of them
     * @param  list<array{int, int, int}>  $places  column, row, class of the map now
     * @param  array<int, int>  $drawn  points by stratum: the code of its class, or Allocation::WHOLE
     * @param  array<string, true>  $taken  “column row”
     */
    private function __construct(public array $features, public array $places, public array $drawn, public array $taken) {}

    public static function none(): self
    {
        return new self([], [], [], []);
    }

    /**
     * @param  string  $design  that goes on
     * @param  array<int, float>  $shares  of all ground, by stratum, as they would be drawn from now
     *
     * @throws Problem where they are of another design, or of another map
     */
    public static function read(string $path, Image $map, string $design, array $shares): self
    {
        $name = basename($path);
        $spec = $map->spec();
        ['epsg' => $own, 'points' => $points] = LabelledPoints::places($path, 'earlier');
        $features = $places = $drawn = $taken = [];
        foreach ($points as $k => ['x' => $x, 'y' => $y, 'told' => $told]) {
            ['stratum' => $stratum, 'share' => $share, 'design' => $was] = LabelledPoints::drawn($told);
            if ($was !== $design || $design === 'systematic') {
                throw Problem::input($design === 'systematic'
                    ? 'A grid can\'t be added to without losing its design: draw a finer one instead.'
                    : 'Point '.($k + 1)." of $name was ".($was === null ? 'drawn by an unknown design' : "drawn by the design “{$was}”")
                        .", and the new points by “{$design}”: keep the original design.", 'earlier');
            }
            $code = match (true) {
                $design !== 'stratified' => Allocation::WHOLE,
                $stratum === Allocation::UNLABELLED && isset($shares[0]) => 0,
                default => $spec->legend?->codeOf((string) $stratum) ?? -1,
            };
            if (! isset($shares[$code]) || $share === null || abs($share - $shares[$code]) > 1e-6) {
                throw Problem::input(
                    "$name was drawn from another map, or from another part of it: its stratum “".($stratum ?? 'the whole map').'” covers '
                        .($share === null ? 'an unknown share' : sprintf('%.4g %%', 100 * $share)).' of the ground, here it is '
                        .(isset($shares[$code]) ? sprintf('%.4g %%.', 100 * $shares[$code]) : 'none.'),
                    'earlier',
                );
            }
            // written in longitude and latitude, whatever they came in
            $earth = array_map(fn (float $degrees): float => round($degrees, 9), GeoJson::toMap($x, $y, $own, self::DEGREES, $name));
            $features[] = ['type' => 'Feature', 'geometry' => ['type' => 'Point', 'coordinates' => $earth], 'properties' => $told];
            [$x, $y] = GeoJson::toMap($x, $y, $own, $spec->grid->epsg, $name);
            [$col, $row] = array_map(fn (float $pixel): int => (int) floor($pixel), $spec->grid->toPixel($x, $y));
            $places[] = [$col, $row, Values::codeAt($map, $x, $y) ?? 0];
            $taken["$col $row"] = true;
            $drawn[$code] = ($drawn[$code] ?? 0) + 1;
        }

        return new self($features, $places, $drawn, $taken);
    }
}
