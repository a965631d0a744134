<?php

namespace Chorometra\Core\Deliver;

use Chorometra\Core\Engine\Memory;
use Chorometra\Core\Format\GeoJson;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\Window;
use Chorometra\Core\Segment\RunMap;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Source;
use Chorometra\Core\Step\WholeKind;

/** Regions of a raster as polygons. */
final class Outlines implements WholeKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'deliver.outlines',
            'Outlines',
            'Draws the outlines of classes or segments as polygons, with area and perimeter, for use in any mapping program.',
            [
                new Port('image', PortType::Image, 'A class map, segments, or an image whose band is cut at a value.'),
                new Port('values', PortType::Image, 'An image whose bands are averaged over each polygon.', required: false),
            ],
            [
                Setting::texts('only', 'Codes or names of the classes to take; all when empty.'),
                Setting::whole('minimum', 1, 'Polygons smaller than this are left out.', 'pixels', 1),
                Setting::number('simplify', 0.0, 'How far a simplified border may lie from the true one; shared borders stay shared.', 'm', 0.0),
                Setting::band('band', '1', 'The band to cut, for an image that is no class map.'),
                Setting::number('at-least', null, 'Pixels of the band at this value or above make the polygons.'),
                Setting::choice('coordinates', ['geographic', 'map'], 'geographic', 'Longitude and latitude, as GeoJSON wants it, or the map coordinates of the image.'),
            ],
            [new Port('result', PortType::Outlines, 'The polygons.', endings: ['.geojson', '.json'])],
            'GeoJSON: RFC 7946. Simplification: Douglas & Peucker 1973, Cartographica 10:112–122, on pieces between the points where borders meet.',
        );
    }

    public function memory(Call $call): int
    {
        $grid = $call->image()->spec()->grid;

        return $grid->width * $grid->height * 64 + (64 << 20);
    }

    public function compute(Call $call): array
    {
        $image = $call->image();
        $grid = $image->spec()->grid;
        Crs::needMap($grid, $image->name(), 'image');
        $geographic = $call->text('coordinates') === 'geographic';
        if ($geographic && ! Crs::knows($grid->epsg)) {
            throw Problem::input("{$image->name()} has no CRS that can be turned to longitude and latitude; choose map coordinates.", 'coordinates');
        }
        if ($call->hasInput('values')) {
            Plan::sameGrid([new Source($image, []), new Source($call->image('values'), [])]);
        }
        $call->context->report(0.0, 'finding regions');
        [$labels, $codes, $sizes] = $this->regions($call);
        $means = $call->hasInput('values') ? $this->means($call, $labels, count($sizes)) : [];
        $call->context->report(0.4, 'tracing outlines');
        $rings = new Rings($labels, $grid->width, $grid->height, $call->context->check(...));
        $tolerance = $call->number('simplify') / sqrt($grid->pixelArea());
        $simplify = new Simplify($rings, $grid->width + 1, $tolerance);
        $written = ['polygons' => 0, 'corners' => 0, 'pixels' => 0, 'leftOut' => 0];
        $kept = $this->kept($call, $codes);
        $wanted = [];
        foreach ($sizes as $label => $size) {
            if ($label === 0 || ($kept !== null && ! isset($kept[$codes[$label]]))) {
                continue;
            }
            if ($size < $call->whole('minimum')) {
                $written['leftOut']++;
            } else {
                $wanted[$label] = true;
            }
        }
        GeoJson::write($call->outputs['result'], $this->features($call, $rings, $simplify, $wanted, $codes, $sizes, $means, $written), $geographic ? null : $grid->epsg);
        $figures = ['polygons' => $written['polygons'], 'corners' => $written['corners'], 'smaller' => $written['leftOut']];

        $ground = Ground::of($grid);

        return $figures + ($ground === null ? [] : ['hectares' => $written['pixels'] * $ground->pixelArea(0.5 * $grid->width, 0.5 * $grid->height) / 1e4]);
    }

    /**
     * @param  array<int, true>  $wanted
     * @param  list<int>  $codes
     * @param  list<int>  $sizes
     * @param  array<string, list<float>>  $means
     * @param  array{polygons: int, corners: int, pixels: int, leftOut: int}  $written
     * @return iterable<array<string, mixed>>
     */
    private function features(Call $call, Rings $rings, Simplify $simplify, array $wanted, array $codes, array $sizes, array $means, array &$written): iterable
    {
        $spec = $call->image()->spec();
        $number = 0;
        foreach ($rings->trace($wanted) as $label => $loops) {
            if (++$number % 256 === 0) {
                $call->context->report(0.5 + 0.5 * $number / count($wanted), 'writing polygons');
            }
            $shell = null;
            $holes = [];
            $edges = 0;
            foreach ($loops as $loop) {
                $edges += count($loop);
                $ring = $simplify->ring($loop);
                if (count($ring) < 3) {
                    continue;
                }
                $written['corners'] += count($ring);
                if ($rings->area($loop) > 0) {
                    $shell = $this->coordinates($ring, $spec->grid, $call);
                } else {
                    $holes[] = $this->coordinates($ring, $spec->grid, $call);
                }
            }
            if ($shell === null) {
                $written['leftOut']++;

                continue;
            }
            $written['polygons']++;
            $written['pixels'] += $sizes[$label];
            $properties = ['code' => $codes[$label]];
            if ($spec->content === Content::Classes) {
                $properties['class'] = $spec->legend?->name($codes[$label]) ?? "class {$codes[$label]}";
            }
            $properties += ['pixels' => $sizes[$label], 'area' => round($sizes[$label] * $spec->grid->pixelArea(), 4), 'perimeter' => round($edges * sqrt($spec->grid->pixelArea()), 4)];
            foreach ($means as $name => $values) {
                $properties[$name] = is_nan($values[$label]) ? null : round($values[$label], 7);
            }
            yield ['type' => 'Feature', 'id' => $written['polygons'], 'properties' => $properties, 'geometry' => ['type' => 'Polygon', 'coordinates' => [$shell, ...$holes]]];
        }
    }

    /**
     * Connected regions of equal code.
     *
     * @return array{list<int>, list<int>, list<int>} label of each pixel; code and size of each label
     */
    private function regions(Call $call): array
    {
        $image = $call->image();
        $spec = $image->spec();
        $grid = $spec->grid;
        $limit = $call->number('at-least');
        if ($spec->content === Content::Image && is_nan($limit)) {
            throw Problem::call("{$image->name()} is no class map: say from which value on (at-least) its pixels make polygons.", 'at-least');
        }
        $band = $call->band('band');
        $map = new RunMap($spec->grid->width, $call->context->check(...));
        $nodata = $spec->nodata === null || is_nan($spec->nodata) ? 0 : (int) $spec->nodata;
        for ($row = 0; $row < $spec->grid->height; $row += 256) {
            $call->context->report(0.3 * $row / $spec->grid->height, 'finding regions');
            $rows = min(256, $spec->grid->height - $row);
            $bytes = $image->read($band, new Window(0, $row, $spec->grid->width, $rows));
            if (! is_nan($limit)) {
                $values = Codec::values($bytes, $spec->type, $spec->nodata);
                $codes = array_map(fn (float $value): int => $value >= $limit ? 1 : 0, $values);
            } else {
                $codes = Codec::codes($bytes, $spec->type);
                if ($nodata !== 0) {
                    $codes = array_map(fn (int $code): int => $code === $nodata ? 0 : $code, $codes);
                }
            }
            $map->append($codes, $rows);
        }
        [$parts, $count] = $map->parts(4);
        // a region has at most four corners for each of its runs; as coordinates each takes some 200 bytes
        $largest = $parts === [] ? 0 : max(array_count_values(array_filter($parts)) ?: [0]);
        Memory::reserve($grid->width * $grid->height * 40 + 800 * $largest, sprintf('Outlines with a region of up to %d corners', 4 * $largest), 'absorb small segments before, or work on a part of the image');
        $codes = array_fill(0, $count + 1, 0);
        foreach ($parts as $run => $part) {
            $codes[$part] = $map->codes[$run];
        }
        $labels = $map->paint($parts, 0, $spec->grid->height);
        $sizes = array_fill(0, $count + 1, 0);
        foreach ($labels as $label) {
            $sizes[$label]++;
        }

        return [$labels, $codes, $sizes];
    }

    /**
     * @param  list<int>  $labels
     * @return array<string, list<float>> by attribute name and label
     */
    private function means(Call $call, array $labels, int $count): array
    {
        $image = $call->image('values');
        $spec = $image->spec();
        $means = [];
        foreach ($spec->bands as $band => $what) {
            $call->context->report(0.3, 'averaging bands');
            $values = Codec::values($image->read($band, new Window(0, 0, $spec->grid->width, $spec->grid->height)), $spec->type, $spec->nodata);
            $sums = array_fill(0, $count, 0.0);
            $numbers = array_fill(0, $count, 0);
            foreach ($values as $index => $value) {
                if ($value === $value) {
                    $sums[$labels[$index]] += $value;
                    $numbers[$labels[$index]]++;
                }
            }
            $means['mean '.$what->label($band + 1)] = array_map(fn (float $sum, int $number): float => $number > 0 ? $sum / $number : NAN, $sums, $numbers);
        }

        return $means;
    }

    /**
     * @param  list<int>  $codes
     * @return array<int, true>|null
     */
    private function kept(Call $call, array $codes): ?array
    {
        $legend = $call->image()->spec()->legend;
        $kept = [];
        foreach ($call->texts('only') as $name) {
            $code = $legend?->codeOf($name) ?? (ctype_digit($name) ? (int) $name : null);
            if ($code === null || ! in_array($code, $codes, true)) {
                throw Problem::call("“{$name}” is no class of {$call->image()->name()}.", 'only');
            }
            $kept[$code] = true;
        }

        return $kept === [] ? null : $kept;
    }

    /**
     * A closed ring: shells counter-clockwise on the map, holes clockwise.
     *
     * @param  list<int>  $ring
     * @return list<array{float, float}>
     */
    private function coordinates(array $ring, Grid $grid, Call $call): array
    {
        $wide = $grid->width + 1;
        $geographic = $call->text('coordinates') === 'geographic';
        $out = [];
        foreach ($ring as $corner) {
            [$x, $y] = $grid->toMap($corner % $wide, intdiv($corner, $wide));
            if ($geographic) {
                [$x, $y] = Crs::toGeographic($grid->epsg, $x, $y) ?? [NAN, NAN];
                $out[] = [round($x, 8), round($y, 8)];
            } else {
                $out[] = [$x, $y];
            }
        }
        // rings run clockwise on screen; rows grow downwards on most grids
        $t = $grid->transform;
        if ($t[1] * $t[5] - $t[2] * $t[4] < 0) {
            $out = array_reverse($out);
        }
        $out[] = $out[0];

        return $out;
    }
}
