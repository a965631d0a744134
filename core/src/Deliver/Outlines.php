<?php

namespace Chorometra\Core\Deliver;

use Chorometra\Core\Deliver\Polygons\Borders;
use Chorometra\Core\Deliver\Polygons\Region;
use Chorometra\Core\Deliver\Polygons\Simplify;
use Chorometra\Core\Format\Measures;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Memory;

/** Regions of a raster as polygons. */
final class Outlines implements Kind
{
    /** Bytes that must be there for the next rows. */
    private const ROOM = 160 << 20;

    public function declaration(): Declaration
    {
        return new Declaration(
            'deliver.outlines',
            'Export outlines',
            'Exports classes or segments as polygons, with area and perimeter.',
            [
                new Port('image', PortType::Image, 'A class map, segments, or an image with a band and a threshold.'),
                new Port('values', PortType::Image, 'An image whose bands are averaged over each polygon.', required: false),
                new Port('measures', PortType::Measures, 'Measures of the segments, added as attributes.', required: false),
            ],
            [
                Setting::texts('only', 'Codes or names of the classes to export. Empty: all.'),
                Setting::whole('minimum', 1, 'Polygons smaller than this are left out.', 'pixels', 1),
                Setting::number('simplify', 0.0, 'Largest distance of a simplified border from the original; shared borders stay shared.', 'm', 0.0),
                Setting::band('band', '1', 'Band for the threshold, for an image that is not a class map.'),
                Setting::number('at-least', null, 'Threshold; pixels at or above it make the polygons.'),
                Setting::choice(
                    'coordinates',
                    ['geographic', 'map'],
                    'geographic',
                    'Longitude and latitude, as GeoJSON requires, or the map coordinates of the image.',
                ),
            ],
            [new Port('result', PortType::Outlines, 'The polygons.', endings: Vectors::endings())],
            'GeoJSON: RFC 7946. Simplification: Douglas & Peucker 1973, Cartographica 10:112–122, between the points where borders meet, with '
                .'borders kept apart after de Berg, van Kreveld & Schirra 1998, Cartography and Geographic Information Systems 25:243–257.',
            synonyms: ['vectorise', 'polygons', 'GeoJSON'],
            example: new Example(['at-least' => '0.3', 'minimum' => '4', 'simplify' => '15']),
            figures: [
                Figure::number('polygons', 'polygons'),
                Figure::number('corners', 'corners'),
                Figure::number('smaller', 'left out, too small'),
                Figure::number('hectares', 'area', 'ha'),
            ],
            desk: new Desk(2, makes: 'outlines'),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $image = $call->image();
        $spec = $image->spec();
        $grid = $spec->grid;
        Crs::needMap($grid, $image->name(), 'image');
        $geographic = $call->text('coordinates') === 'geographic';
        if ($geographic && ! Crs::knows($grid->epsg)) {
            throw Problem::input("{$image->name()} has no CRS that can be turned to longitude and latitude; choose map coordinates.", 'coordinates');
        }
        if ($spec->content === Content::Image && is_nan($call->number('at-least'))) {
            throw Problem::call("{$image->name()} is not a class map: set a threshold (at-least).", 'at-least');
        }
        $band = $call->band('band');
        if ($call->hasInput('values')) {
            OneGrid::check([$image, $call->image('values')]);
        }
        $wanted = $this->wanted($call);
        $measured = $this->measured($call);
        $ground = Ground::of($grid);
        $written = ['polygons' => 0, 'corners' => 0, 'smaller' => 0, 'area' => 0.0];
        Vectors::write($call->outputs['result'], $this->features($call, $band, $wanted, $ground, $measured, $written), $geographic ? null : $grid->epsg);

        return array_diff_key($written, ['area' => true]) + ($ground === null ? [] : ['hectares' => $written['area'] / 1e4]);
    }

    /**
     * @param  array<int, true>|null  $wanted
     * @param  array<string, array<int, float|int>>  $measured  by measure and number
     * @param  array{polygons: int, corners: int, smaller: int, area: float}  $written  grows with what is written
     * @return iterable<array<string, mixed>>
     */
    private function features(Call $call, int $band, ?array $wanted, ?Ground $ground, array $measured, array &$written): iterable
    {
        $spec = $call->image()->spec();
        $number = 0;
        foreach ($this->regions($call, $band, $wanted, $ground) as $regions) {
            $pixels = array_sum(array_map(fn (Region $region): int => $region->pixels, $regions));
            if ($pixels < $call->whole('minimum')) {
                $written['smaller']++;

                continue;
            }
            $number++;
            $exact = $this->measures($regions, false, $ground);
            $measures = $call->number('simplify') > 0 ? $this->measures($regions, true, $ground) : $exact;
            $polygons = [];
            foreach ($regions as $region) {
                $polygons[] = $this->coordinates($region, $spec->grid, $call, $written['corners']);
            }
            $written['polygons']++;
            $written['area'] += $measures[0];
            $code = $regions[0]->code;
            $properties = ['code' => $code];
            if ($spec->content === Content::Classes) {
                $properties['class'] = $spec->legend?->name($code) ?? "class $code";
            }
            $properties += ['pixels' => $pixels, 'area' => round($measures[0], 4), 'perimeter' => round($measures[1], 4)];
            if ($call->number('simplify') > 0) {
                $properties += ['area exact' => round($exact[0], 4), 'perimeter exact' => round($exact[1], 4)];
            }
            $properties += $this->means($call, $regions);
            foreach ($measured as $name => $values) {
                $properties += [$name => is_finite($values[$code] ?? NAN) ? $values[$code] : null];
            }
            yield ['id' => $number, 'properties' => $properties, 'geometry' => count($polygons) === 1
                ? ['type' => 'Polygon', 'coordinates' => $polygons[0]]
                : ['type' => 'MultiPolygon', 'coordinates' => $polygons]];
        }
    }

    /** @return array<string, array<int, float|int>> measures of segments, by number */
    private function measured(Call $call): array
    {
        if (! $call->hasInput('measures')) {
            return [];
        }
        if ($call->image()->spec()->content !== Content::Segments) {
            throw Problem::input("{$call->image()->name()} contains no segments, to which measures belong.", 'measures');
        }
        $file = new Measures($call->path('measures'));
        Memory::reserve(48 * $file->count() * count($file->columns()), 'Outlines', 'measure less of the segments');
        $numbers = $file->values('segment');
        $measured = [];
        foreach (array_slice(array_column($file->columns(), 'name'), 1) as $name) {
            $measured[$name] = array_combine($numbers, $file->values($name));
        }

        return $measured;
    }

    /**
     * Regions as they end; the parts of a segment together, when the last ends.
     *
     * @param  array<int, true>|null  $wanted
     * @return iterable<non-empty-list<Region>>
     */
    private function regions(Call $call, int $band, ?array $wanted, ?Ground $ground): iterable
    {
        $image = $call->image();
        $spec = $image->spec();
        ['width' => $width, 'height' => $height] = ['width' => $spec->grid->width, 'height' => $spec->grid->height];
        $last = $spec->content === Content::Segments ? $this->lastRows($call, $band) : [];
        $borders = new Borders(
            $width,
            $call->number('simplify') > 0 ? $this->simplify($call, $band, $ground) : null,
            $wanted,
            $spec->content === Content::Segments ? 1 : $call->whole('minimum'),
        );
        $parts = [];
        $values = $call->hasInput('values') ? $call->image('values') : null;
        $strip = $spec->grid->strip(64);
        for ($top = 0; $top <= $height; $top += $strip) {
            Memory::reserve(self::ROOM, 'Outlines', 'absorb small segments before, or work on a part of the image');
            $call->context->report(0.1 + 0.9 * $top / $height, 'tracing outlines');
            $window = new Window(0, $top, $width, min($strip, $height - $top));
            $codes = $this->codes($call, $band, $window);
            $lines = $values === null ? [] : array_map(fn (int $one): array => Values::of($values, $one, $window), array_keys($values->spec()->bands));
            for ($row = 0; $row < $window->height + ($top + $strip > $height ? 1 : 0); $row++) {
                $isEnd = $row === $window->height;
                $ended = $isEnd
                    ? $borders->end()
                    : $borders->row(
                        array_slice($codes, $row * $width, $width),
                        array_map(fn (array $line): array => array_slice($line, $row * $width, $width), $lines),
                    );
                foreach ($ended as $region) {
                    if ($spec->content === Content::Segments) {
                        $parts[$region->code][] = $region;
                    } else {
                        yield [$region];
                    }
                }
                foreach ($parts === [] ? [] : $ended as $region) {
                    if (isset($parts[$region->code]) && ($isEnd || $last[$region->code] < $top + $row)) {
                        yield $parts[$region->code];
                        unset($parts[$region->code]);
                    }
                }
            }
        }
    }

    /** @return array<int, int> the last row of each segment */
    private function lastRows(Call $call, int $band): array
    {
        $grid = $call->image()->spec()->grid;
        $last = [];
        $strip = $grid->strip(64);
        for ($top = 0; $top < $grid->height; $top += $strip) {
            $call->context->report(0.1 * $top / $grid->height, 'looking where segments end');
            Memory::reserve(self::ROOM, 'Outlines', 'absorb small segments before, or work on a part of the image');
            $rows = min($strip, $grid->height - $top);
            foreach (array_chunk($this->codes($call, $band, new Window(0, $top, $grid->width, $rows)), max(1, $grid->width)) as $row => $codes) {
                foreach ($codes as $code) {
                    $last[$code] = $top + $row;
                }
            }
        }

        return $last;
    }

    /** @return list<int> codes of a part of the map, 0 for what belongs to no region */
    private function codes(Call $call, int $band, Window $window): array
    {
        $image = $call->image();
        $spec = $image->spec();
        if ($window->isEmpty()) {
            return [];
        }
        $bytes = $image->read($band, $window);
        $limit = $call->number('at-least');
        if (! is_nan($limit)) {
            return array_map(fn (float $value): int => $value >= $limit ? 1 : 0, Codec::values($bytes, $spec->type, $spec->nodata));
        }
        $codes = Codec::codes($bytes, $spec->type);
        $nodata = $spec->nodata === null || is_nan($spec->nodata) ? 0 : (int) $spec->nodata;

        return $nodata === 0 ? $codes : array_map(fn (int $code): int => $code === $nodata ? 0 : $code, $codes);
    }

    private function simplify(Call $call, int $band, ?Ground $ground): Simplify
    {
        $image = $call->image();
        $spec = $image->spec();
        $isCut = ! is_nan($call->number('at-least'));

        return new Simplify($spec->grid->width, $spec->grid->height, $isCut ? 1 : $spec->type->bytes(), fn (Window $window): string => $isCut
            ? implode('', array_map(fn (int $code): string => $code === 1 ? '1' : '0', $this->codes($call, $band, $window)))
            : $image->read($band, $window), $this->metric($ground), $call->number('simplify'));
    }

    /** @return \Closure(int, int): array{float, float, float} */
    private function metric(?Ground $ground): \Closure
    {
        if ($ground === null) {
            return fn (): array => [1.0, 1.0, 0.0];
        }
        if ($ground->keepsLengths) {
            $metric = $ground->metric(0.5, 0.5);

            return fn (): array => $metric;
        }

        return fn (int $col, int $row): array => $ground->metric($col, $row);
    }

    /**
     * @param  non-empty-list<Region>  $regions
     * @return array{float, float} square metres and metres around; pixels where the map lies nowhere
     */
    private function measures(array $regions, bool $delivered, ?Ground $ground): array
    {
        $area = $length = 0.0;
        foreach ($regions as $region) {
            foreach ($delivered ? $region->delivered() : $region->exact() as $ring) {
                $twice = $region->twice($ring);
                if ($ground === null) {
                    $area += 0.5 * $twice;
                } else {
                    $area +=
                        ($twice < 0 ? -1 : 1) * ($ground->keepsAreas ? 0.5 * abs($twice) * $ground->pixelArea(0, 0) : $ground->area($region->positions($ring)));
                }
                $length +=
                    $ground === null || $ground->keepsLengths
                        ? $region->length($ring, $ground?->metric(0.5, 0.5) ?? [1.0, 1.0, 0.0])
                        : $ground->length($region->positions($ring));
            }
        }

        return [$area, $length];
    }

    /** Eight digits, as many as a sample of Float32 has, however small the value. */
    private static function significant(float $value): float
    {
        return (float) sprintf('%.7e', $value);
    }

    /**
     * @param  non-empty-list<Region>  $regions
     * @return array<string, float|null> by attribute
     */
    private function means(Call $call, array $regions): array
    {
        $means = [];
        foreach ($call->hasInput('values') ? $call->image('values')->spec()->bands : [] as $band => $what) {
            $sum = array_sum(array_map(fn (Region $region): float => $region->sums[$band][0], $regions));
            $number = array_sum(array_map(fn (Region $region): int => $region->sums[$band][1], $regions));
            $means['mean '.$what->label($band + 1)] = $number > 0 ? self::significant($sum / $number) : null;
        }

        return $means;
    }

    /** @return array<int, true>|null codes of the classes to take */
    private function wanted(Call $call): ?array
    {
        $wanted = ClassCodes::of($call->image(), $call->texts('only'), 'only');

        return $wanted === [] ? null : $wanted;
    }

    /**
     * Closed rings: shells counter-clockwise on the map, holes clockwise.
     *
     * @param  int  $corners  grows with what is written
     * @return list<list<array{float, float}>>
     */
    private function coordinates(Region $region, Grid $grid, Call $call, int &$corners): array
    {
        $wide = $grid->width + 1;
        $geographic = $call->text('coordinates') === 'geographic';
        // rings run clockwise on screen; rows grow downwards on most grids
        $turns = $grid->transform[1] * $grid->transform[5] - $grid->transform[2] * $grid->transform[4] < 0;
        // beyond them is what floating-point numbers add
        $digits = $geographic ? 9 : (Crs::isGeographic($grid) ? 12 : 6);
        $rings = [];
        foreach ($region->delivered() as $ring) {
            $corners += count($ring);
            $ring = $turns ? array_reverse($ring) : $ring;
            $positions = [];
            foreach ([...$ring, $ring[0]] as $corner) {
                [$x, $y] = $grid->toMap($corner % $wide, intdiv($corner, $wide));
                if ($geographic) {
                    [$x, $y] = Crs::toGeographic($grid->epsg, $x, $y) ?? [NAN, NAN];
                    if (is_nan($x) || is_nan($y)) {
                        throw Problem::input("A corner of {$call->image()->name()} has no longitude and latitude: choose map coordinates.", 'coordinates');
                    }
                }
                $positions[] = [round($x, $digits), round($y, $digits)];
            }
            $rings[] = $positions;
        }

        return $rings;
    }
}
