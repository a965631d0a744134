<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Ties\MovedImage;
use Chorometra\Core\Correct\Ties\TieFit;
use Chorometra\Core\Correct\Ties\TieReport;
use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\TargetGrid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Described;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\LeastSquares;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;

/** An image as a sensor saw it, brought onto the map through points whose place is known. */
final class Geocode implements Kind
{
    /** Points across and down that are taken from bands of longitude and latitude. */
    private const POINTS = 21;

    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.geocode',
            'Geocoding',
            'Transforms an image from sensor geometry to map coordinates, by ground control points or by the georeferencing in the file.',
            [
                new Port('image', PortType::Image, 'The image, with ground control points in the file or given separately.', wants: Wants::Counts),
                new Port(
                    'points',
                    PortType::Features,
                    'Ground control points: GeoJSON points with the properties “column” and “row” (pixel corners at whole numbers).',
                    required: false,
                    sample: 'controls',
                ),
            ],
            [
                Setting::choice('transform', ['affine', 'quadratic', 'cubic'], 'quadratic', 'Transformation to map coordinates.', [
                    'affine' => 'shift, rotation, scale and shear; at least four points',
                    'quadratic' => 'second-order polynomial; at least seven points',
                    'cubic' => 'third-order polynomial; at least eleven points',
                ]),
                Setting::whole(
                    'crs',
                    null,
                    'EPSG code of the target CRS. Empty: that of the points, or the UTM zone of the image.',
                    least: 1024,
                    most: 32766,
                ),
                Setting::number('pixel-size', null, 'Pixel size of the result in units of the CRS. Empty: the pixel size on the ground.', least: 1e-9),
                Setting::choice('resampling', ['nearest', 'bilinear', 'cubic'], 'bilinear', 'Resampling method.', Resampling::MEANINGS),
                Setting::text('longitude', null, 'Band with the longitude of each pixel, for files georeferenced that way.'),
                Setting::text('latitude', null, 'Band with the latitude of each pixel.'),
                Setting::number('reject', null, 'Robust standard deviations beyond which a point is rejected. Empty: none is.', null, 1, 100),
                Setting::numbers('strike', 'Numbers of points to exclude.')->ofImage(),
            ],
            [
                new Port('result', PortType::Image, 'The geocoded image, north up.'),
                new Port('tie-points', PortType::Table, 'The points and their residuals.', required: false, endings: ['.csv']),
            ],
            'Polynomials through ground control points by least squares: Richards 2013, Remote Sensing Digital Image Analysis, section 2.19 (from '
                .'memory). At least one point more than a transform has unknowns, so that residuals tell: common practice, no source.',
            synonyms: ['georeference', 'ground control points', 'rectify'],
            example: new Example(['crs' => '32632', 'transform' => 'affine'], ['points']),
            figures: [
                Figure::text('crs', 'CRS'),
                Figure::number('pixel-size', 'pixel size'),
                ...TieReport::declared(),
            ],
            desk: new Desk(10, evidence: [new Evidence('tie-points')], makes: 'geocoded image'),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $image = $call->image();
        Resampling::from($call->text('resampling'))->check($image);
        ['epsg' => $from, 'points' => $controls] = $this->controls($call, $image);
        $epsg = $call->whole('crs') ?: $this->crs($from, $controls, $image);
        $places = array_map(function (array $one) use ($from, $epsg, $image): array {
            [$x, $y] = GeoJson::toMap($one[2], $one[3], $from, $epsg, $image->name());
            if (is_nan($x) || is_nan($y)) {
                throw Problem::call("A ground control point of {$image->name()} is outside the area of EPSG:$epsg: choose another CRS.", 'crs');
            }

            return [$one[0], $one[1], $x, $y];
        }, $controls);
        $grid = $this->grid($call, $image, $places, $epsg);
        // where a pixel of the map lies in the image, as a shift from its own place
        $points = array_map(function (array $one) use ($grid): array {
            [$col, $row] = $grid->toPixel($one[2], $one[3]);

            return ['col' => $col, 'row' => $row, 'dc' => $one[0] - $col, 'dr' => $one[1] - $row, 'quality' => 1.0];
        }, $places);
        $fit = TieFit::through(
            $points,
            $call->text('transform'),
            $grid->width,
            $grid->height,
            0.0,
            is_nan($call->number('reject')) ? 1e9 : $call->number('reject'),
            array_map(fn (float $number): int => (int) $number, $call->numbers('strike')),
        );
        $spec = $image->spec();
        $own = new Grid($spec->grid->width, $spec->grid->height, $grid->transform, $epsg);
        $placed = new Described($image, $spec->with(grid: $own));
        $figures =
            ['crs' => Crs::name($epsg), 'pixel-size' => $grid->transform[1]] +
            Crs::datums(new Grid(1, 1, epsg: $from), $grid) +
            array_diff_key(TieReport::figures($points, $fit, $grid, $call->text('transform')), ['shift' => true]) +
            MovedImage::write($call, $work, $placed, $grid, function (float $col, float $row) use ($fit): array {
                [$dc, $dr] = $fit->shift($col, $row);

                return [$col + $dc, $row + $dr];
            });
        if (isset($call->outputs['tie-points'])) {
            Files::write($call->outputs['tie-points'], TieReport::csv($figures['tie-points']));
        }

        return $figures;
    }

    /** @return array{epsg: int, points: list<array{float, float, float, float}>} column, row, x and y in the CRS told */
    private function controls(Call $call, Image $image): array
    {
        if ($call->hasInput('points')) {
            return $this->given($call->path('points'));
        }
        $bands = array_map(fn (string $name): ?int => $call->text($name) === '' ? null : Call::bandOf($image, $call->text($name), $name), [
            'longitude',
            'latitude',
        ]);
        if ($bands[0] !== null && $bands[1] !== null) {
            return ['epsg' => 4326, 'points' => $this->degreesAt($image, $bands[0], $bands[1])];
        }
        $grid = $image->spec()->grid;
        if ($grid->controls === null) {
            throw Problem::input(
                "{$image->name()} contains no ground control points: give them as points, or name the bands of longitude and latitude.",
                'points',
            );
        }
        if ($grid->epsg === null) {
            throw Problem::input("{$image->name()} has no CRS for its ground control points: read it again with its CRS.", 'image');
        }

        return ['epsg' => $grid->epsg, 'points' => $grid->controls];
    }

    /** @return array{epsg: int, points: list<array{float, float, float, float}>} */
    private function given(string $path): array
    {
        ['epsg' => $epsg, 'features' => $features] = GeoJson::all($path);
        $points = [];
        foreach ($features as $k => $feature) {
            $at = $feature['geometry']['coordinates'] ?? null;
            [$col, $row] = [$feature['properties']['column'] ?? null, $feature['properties']['row'] ?? null];
            if (
                ($feature['geometry']['type'] ?? null) !== 'Point' ||
                ! is_array($at) ||
                ! is_numeric($at[0] ?? null) ||
                ! is_numeric($at[1] ?? null) ||
                ! is_numeric($col) ||
                ! is_numeric($row) ||
                ! is_finite((float) $col) ||
                ! is_finite((float) $row)
            ) {
                throw Problem::input(
                    sprintf(
                        'Feature %d of %s is no ground control point: a point with the properties “column” and “row” was expected.',
                        $k + 1,
                        basename($path),
                    ),
                    'points',
                );
            }
            $points[] = [(float) $col, (float) $row, (float) $at[0], (float) $at[1]];
        }

        return ['epsg' => $epsg, 'points' => $points];
    }

    /** @return list<array{float, float, float, float}> pixel centres and their longitude and latitude */
    private function degreesAt(Image $image, int $longitude, int $latitude): array
    {
        $spec = $image->spec();
        $points = [];
        for ($j = 0; $j < self::POINTS; $j++) {
            for ($i = 0; $i < self::POINTS; $i++) {
                $col = intdiv($i * ($spec->grid->width - 1), self::POINTS - 1);
                $row = intdiv($j * ($spec->grid->height - 1), self::POINTS - 1);
                [$x, $y] = array_map(fn (int $band): float => Values::of($image, $band, new Window($col, $row, 1, 1))[0], [$longitude, $latitude]);
                if (! is_nan($x) && ! is_nan($y)) {
                    if (abs($x) > 360 || abs($y) > 90) {
                        throw Problem::input("The bands of longitude and latitude of {$image->name()} hold $x and $y: degrees were expected.", 'longitude');
                    }
                    $points["$col/$row"] = [$col + 0.5, $row + 0.5, $x, $y];
                }
            }
        }

        return array_values($points);
    }

    /** @param  list<array{float, float, float, float}>  $controls */
    private function crs(int $from, array $controls, Image $image): int
    {
        $place = $controls === [] ? null : Crs::toGeographic($from, $controls[intdiv(count($controls), 2)][2], $controls[intdiv(count($controls), 2)][3]);
        if ($place === null) {
            throw Problem::input(
                $controls === []
                    ? "There are no ground control points for {$image->name()}."
                    : "The CRS EPSG:$from of the ground control points is not supported.",
                'points',
            );
        }

        return $from >= 4000 && $from < 5000 ? ($place[1] < 0 ? 32700 : 32600) + max(1, min(60, (int) floor($place[0] / 6) + 31)) : $from;
    }

    /**
     * A grid with north up that holds the whole image.
     *
     * @param  list<array{float, float, float, float}>  $places
     */
    private function grid(Call $call, Image $image, array $places, int $epsg): Grid
    {
        $own = $image->spec()->grid;
        $rows = array_map(fn (array $one): array => [1.0, $one[0] / $own->width, $one[1] / $own->height], $places);
        [$x0, $y0] = [$places[0][2], $places[0][3]];
        $x = LeastSquares::solve($rows, array_map(fn (array $one): float => $one[2] - $x0, $places));
        $y = LeastSquares::solve($rows, array_map(fn (array $one): float => $one[3] - $y0, $places));
        if ($x === null || $y === null || abs($x[1] * $y[2] - $x[2] * $y[1]) < 1e-9 * (abs($x[1] * $y[2]) + abs($x[2] * $y[1]))) {
            throw Problem::input(
                sprintf('The %d ground control points of %s are too few, or nearly on one line.', count($places), $image->name()),
                'points',
            );
        }
        $affine = new Grid(
            $own->width,
            $own->height,
            [$x0 + $x[0], $x[1] / $own->width, $x[2] / $own->height, $y0 + $y[0], $y[1] / $own->width, $y[2] / $own->height],
            $epsg,
        );
        $pixel = $call->number('pixel-size');
        if (is_nan($pixel)) {
            $pixel = sqrt($affine->pixelArea());
            $step = 10 ** (floor(log10($pixel)) - 1);
            $pixel = round($pixel / $step) * $step;
        }
        // points at the edges may lie off the affine by as much as the image is bent
        $reach = 0.0;
        foreach ($places as $one) {
            [$px, $py] = $affine->toMap($one[0], $one[1]);
            $reach = max($reach, hypot($px - $one[2], $py - $one[3]));
        }
        $margin = 1.5 * $reach;
        $plain = TargetGrid::grid($affine, null, $pixel, $image->name());
        $more = (int) min(1e9, ceil($margin / $pixel));
        if (is_nan($call->number('pixel-size'))) {
            TargetGrid::bound(($plain->width + 2.0 * $more) * ($plain->height + 2.0 * $more), $own, $image->name());
        }

        return new Grid(
            $plain->width + 2 * $more,
            $plain->height + 2 * $more,
            [$plain->transform[0] - $more * $pixel, $pixel, 0.0, $plain->transform[3] + $more * $pixel, 0.0, -$pixel],
            $epsg,
        );
    }
}
