<?php

namespace Chorometra\Core\Tests\Deliver;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\DataProvider;

final class OutlinesTest extends TestCase
{
    /** @return array<string, mixed> */
    private function outlines(string $image, array $settings = [], array $inputs = []): array
    {
        $this->compute('deliver.outlines', ['image' => $image] + $inputs, $settings + ['coordinates' => 'map'], ['result' => "$this->folder/o.geojson"]);

        return json_decode((string) file_get_contents("$this->folder/o.geojson"), true);
    }

    /** @param  list<array{float, float}>  $ring */
    private static function area(array $ring): float
    {
        $sum = 0.0;
        for ($i = 1; $i < count($ring); $i++) {
            $sum += $ring[$i - 1][0] * $ring[$i][1] - $ring[$i][0] * $ring[$i - 1][1];
        }

        return $sum / 2;
    }

    public function test_areas_perimeters_and_holes_are_those_of_scikit_image(): void
    {
        $labels = self::fixture('e_labels.json')['four']['labels'];
        $unit = new Grid(24, 20, [0.0, 1.0, 0.0, 20.0, 0.0, -1.0]);
        $path = $this->raster('l.tif', new RasterSpec($unit, [new Band], SampleType::UInt32, 0.0, Content::Segments), [array_merge(...$labels)]);
        $features = $this->outlines($path)['features'];
        $regions = self::fixture('j_polygons_regions.json')['regions'];
        self::assertCount(count($regions), $features);
        foreach ($features as $feature) {
            $region = $regions[$feature['properties']['code'] - 1];
            self::assertSame($region['label'], $feature['properties']['code']);
            self::assertEquals($region['area'], $feature['properties']['area']);
            self::assertEquals($region['perimeter_pixel_edges'], $feature['properties']['perimeter']);
            $rings = $feature['geometry']['coordinates'];
            self::assertEqualsWithDelta($region['area'], array_sum(array_map(self::area(...), $rings)), 1e-9, 'shells run counter-clockwise, holes clockwise');
            foreach ($rings as $i => $ring) {
                self::assertSame($ring[0], end($ring));
                self::assertSame($i === 0, self::area($ring) > 0);
            }
        }
    }

    public function test_shared_borders_stay_shared_when_simplified(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(3));
        $codes = [];
        for ($y = 0; $y < 60; $y++) {
            for ($x = 0; $x < 60; $x++) {
                $codes[] = 1 + (($x + 6 * sin($y / 5) + 3 * sin($y * 1.7)) > 30 ? 1 : 0) + ($y + 4 * cos($x / 4) > 40 ? 2 : 0);
            }
        }
        $codes[61 + $random->getInt(0, 5)] = 4;
        $map = $this->classes('m.tif', 60, 60, $codes, ['a', 'b', 'c', 'd']);
        $sharp = $this->outlines($map)['features'];
        $simple = $this->outlines($map, ['simplify' => 45])['features'];
        $corners = fn (array $features): int => array_sum(
            array_map(fn (array $feature): int => array_sum(array_map(count(...), $feature['geometry']['coordinates'])), $features),
        );
        self::assertLessThan($corners($sharp) / 2, $corners($simple));
        // no gap and no overlap: each inner side is walked once in each direction
        $sides = [];
        foreach ($simple as $feature) {
            foreach ($feature['geometry']['coordinates'] as $ring) {
                for ($i = 1; $i < count($ring); $i++) {
                    $sides[json_encode($ring[$i - 1]).json_encode($ring[$i])] = [$ring[$i - 1], $ring[$i]];
                }
            }
        }
        $frame = fn (array $place): bool => in_array($place[0], [431000, 432200], false) || in_array($place[1], [6072000, 6070800], false);
        foreach ($sides as [$from, $to]) {
            self::assertTrue(isset($sides[json_encode($to).json_encode($from)]) || ($frame($from) && $frame($to)));
        }
        $all = array_sum(array_map(fn (array $feature): float => array_sum(array_map(self::area(...), $feature['geometry']['coordinates'])), $simple));
        self::assertEqualsWithDelta(60 * 60 * 400.0, $all, 1e-6 * $all, 'the whole is covered');
    }

    /** Patches of all sizes with ragged borders, and islands of one pixel. @return list<int> */
    private static function patches(int $width, int $height, int $seed): array
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937($seed));
        $waves = array_map(fn (): array => [$random->getInt(20, 900) / 1000, $random->getInt(20, 900) / 1000, $random->getInt(0, 6000) / 1000], range(1, 9));
        $codes = [];
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $value = 0.0;
                foreach ($waves as [$u, $v, $phase]) {
                    $value += sin($u * $x + $v * $y + $phase) / (1 + 3 * ($u + $v));
                }
                $codes[] = $random->getInt(0, 60) === 0 ? 4 : ($value > 0.35 ? 1 : ($value > -0.2 ? 2 : 3));
            }
        }

        return $codes;
    }

    /** @return iterable<string, array{array{float, float, float, float, float, float}, int, float, int}> */
    public static function grids(): iterable
    {
        foreach ([0.7, 1.5, 3.0, 12.0] as $k => $tolerance) {
            yield "square, $tolerance pixels" => [[431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632, 20 * $tolerance, $k];
        }
        yield 'oblong' => [[431_000.0, 10.0, 0.0, 6_072_000.0, 0.0, -90.0], 32632, 95.0, 7];
        yield 'turned' => [[431_000.0, 14.0, 14.0, 6_072_000.0, 14.0, -14.0], 32632, 33.0, 8];
        yield 'degrees' => [[9.0, 0.0003, 0.0, 54.8, 0.0, -0.0002], 4326, 45.0, 9];
        yield 'web Mercator' => [[1_000_000.0, 30.0, 0.0, 7_361_866.0, 0.0, -30.0], 3857, 30.0, 10];
    }

    /** @param  array{float, float, float, float, float, float}  $transform */
    #[DataProvider('grids')]
    public function test_simplified_borders_never_cross_and_islands_stay(array $transform, int $epsg, float $tolerance, int $seed): void
    {
        [$width, $height] = [70, 60];
        $grid = new Grid($width, $height, $transform, $epsg);
        $map = $this->raster('p.tif', RasterSpec::classes($grid, Legend::of(['a', 'b', 'c', 'd'])), [self::patches($width, $height, $seed)]);
        $sharp = $this->outlines($map)['features'];
        $simple = $this->outlines($map, ['simplify' => $tolerance])['features'];
        self::assertGreaterThan(100, count($sharp));
        self::assertSameSize($sharp, $simple, 'islands stay');
        $ground = Ground::of($grid) ?? self::fail();
        $whole = $ground->area([[0.0, 0.0], [70.0, 0.0], [70.0, 60.0], [0.0, 60.0]]);
        foreach ([$sharp, $simple] as $features) {
            self::assertEqualsWithDelta(1.0, array_sum(array_column(array_column($features, 'properties'), 'area')) / $whole, 1e-5, 'no gap and no overlap');
        }
        $lines = [];
        $places = [];
        foreach ($simple as $k => $feature) {
            ['area' => $area, 'area exact' => $exact, 'perimeter' => $around] = $feature['properties'];
            self::assertEqualsWithDelta($sharp[$k]['properties']['area'], $exact, 1e-3);
            $rings = array_map(
                fn (array $ring): array => array_map(fn (array $place): array => $grid->toPixel(...$place), array_slice($ring, 0, -1)),
                $feature['geometry']['coordinates'],
            );
            self::assertEqualsWithDelta(
                $area,
                $ground->area($rings[0]) - array_sum(array_map($ground->area(...), array_slice($rings, 1))),
                1e-4 * $area,
                'the area is that of the outline',
            );
            self::assertEqualsWithDelta($around, array_sum(array_map($ground->length(...), $rings)), 1e-4 * $around);
            self::assertGreaterThan(0.0, $area);
            foreach ($rings as $ring) {
                self::assertGreaterThanOrEqual(3, count($ring));
                foreach ($ring as $i => $from) {
                    $to = $ring[($i + 1) % count($ring)];
                    $ends = array_map(fn (array $end): array => array_map(fn (float $at): int => (int) round($at), $end), [$from, $to]);
                    sort($ends);
                    $lines[json_encode($ends)] = $ends;
                    $places[json_encode($ends[0])] = true;
                }
            }
        }
        foreach ([[0, 0], [$width, 0], [0, $height], [$width, $height]] as $corner) {
            self::assertTrue(
                isset($places[json_encode($corner)]) || in_array($corner, array_merge(...array_values($lines)), true),
                'corners of the image stay',
            );
        }
        $lines = array_values($lines);
        foreach ($lines as $i => [$a, $b]) {
            foreach (array_slice($lines, $i + 1) as [$c, $d]) {
                if (
                    max($a[0], $b[0]) >= min($c[0], $d[0]) &&
                    max($c[0], $d[0]) >= min($a[0], $b[0]) &&
                    max($a[1], $b[1]) >= min($c[1], $d[1]) &&
                    max($c[1], $d[1]) >= min($a[1], $b[1])
                ) {
                    $shared = count(array_filter([$a, $b], fn (array $end): bool => $end === $c || $end === $d));
                    $side = fn (array $p, array $q, array $r): int => ($q[0] - $p[0]) * ($r[1] - $p[1]) - ($q[1] - $p[1]) * ($r[0] - $p[0]) <=> 0;
                    $touches = $side($a, $b, $c) !== $side($a, $b, $d) && $side($c, $d, $a) !== $side($c, $d, $b);
                    self::assertTrue(
                        $shared === 1 ? $side($a, $b, $c === $a || $c === $b ? $d : $c) !== 0 || ! self::overlap($a, $b, $c, $d) : ! $touches,
                        json_encode([$a, $b, $c, $d]),
                    );
                }
            }
        }
    }

    /** Whether two lines with one end in common run the same way. */
    private static function overlap(array $a, array $b, array $c, array $d): bool
    {
        [$hub, $one] = $a === $c || $a === $d ? [$a, $b] : [$b, $a];
        $other = $c === $hub ? $d : $c;

        return ($one[0] - $hub[0]) * ($other[0] - $hub[0]) + ($one[1] - $hub[1]) * ($other[1] - $hub[1]) > 0;
    }

    public function test_a_segment_in_parts_is_one_feature(): void
    {
        // 1 is connected over corners only, 3 lies in two places
        $labels = [1, 2, 2, 3, 2, 1, 2, 2, 3, 2, 1, 2];
        $path = $this->raster('s.tif', new RasterSpec(self::grid(4, 3), [new Band], SampleType::UInt32, 0.0, Content::Segments), [$labels]);
        $features = $this->outlines($path, ['simplify' => 5])['features'];
        self::assertEqualsCanonicalizing(
            [[1, 'MultiPolygon', 3], [2, 'MultiPolygon', 3], [3, 'MultiPolygon', 2]],
            array_map(
                fn (array $feature): array => [$feature['properties']['code'], $feature['geometry']['type'], count($feature['geometry']['coordinates'])],
                $features,
            ),
        );
        self::assertSame(12 * 400.0, array_sum(array_map(fn (array $feature): float => (float) $feature['properties']['area'], $features)));
        self::assertCount(2, $this->outlines($path, ['minimum' => 3])['features'], 'the size is that of all parts');
    }

    public function test_a_long_strip_both_ways(): void
    {
        foreach ([[3, 700], [700, 3]] as [$width, $height]) {
            $codes = array_map(fn (int $i): int => 1 + ($i * 7919 % 13 < 5 ? 1 : 0), range(0, 2099));
            $features = $this->outlines($this->classes('long.tif', $width, $height, $codes, ['a', 'b']))['features'];
            self::assertSame(2100, array_sum(array_map(fn (array $feature): int => $feature['properties']['pixels'], $features)));
            self::assertEqualsWithDelta(
                2100 * 400.0,
                array_sum(array_map(fn (array $feature): float => array_sum(array_map(self::area(...), $feature['geometry']['coordinates'])), $features)),
                1e-3,
            );
        }
    }

    public function test_chosen_classes_smallest_size_means_and_coordinates(): void
    {
        $map = $this->classes('m.tif', 3, 2, [1, 1, 2, 1, 255, 1], ['land', 'water']);
        $values = $this->image('v.tif', 3, 2, ['red' => [0.1, 0.2, 0.5, 0.3, 0.9, NAN]]);
        $features = $this->outlines($map, ['only' => 'land', 'minimum' => 2], ['values' => $values])['features'];
        self::assertCount(1, $features);
        self::assertSame('land', $features[0]['properties']['class']);
        self::assertEqualsWithDelta(0.2, $features[0]['properties']['mean red'], 1e-6);
        self::assertSame([1, 3, 1200], [$features[0]['properties']['code'], $features[0]['properties']['pixels'], (int) $features[0]['properties']['area']]);
        // GeoJSON's own coordinates: longitude and latitude
        $geographic = $this->outlines($map, ['only' => '2', 'coordinates' => 'geographic']);
        self::assertArrayNotHasKey('crs', $geographic);
        [$longitude, $latitude] = $geographic['features'][0]['geometry']['coordinates'][0][0];
        // the corner of the area by libgeotiff's listgeo: 7d55'36.87"E, 54d47'25.58"N
        self::assertEqualsWithDelta(7 + 55 / 60 + 36.87 / 3600, $longitude, 0.002);
        self::assertEqualsWithDelta(54 + 47 / 60 + 25.58 / 3600, $latitude, 0.001);
    }

    public function test_small_means_keep_their_digits(): void
    {
        $map = $this->classes('one.tif', 2, 1, [1, 1], ['sand']);
        $image = $this->image('small.tif', 2, 1, ['red' => [3.1e-9, 3.1e-9]]);
        $this->compute('deliver.outlines', ['image' => $map, 'values' => $image], [], ['result' => "$this->folder/o.geojson"]);
        $features = json_decode((string) file_get_contents("$this->folder/o.geojson"), true)['features'];
        self::assertEqualsWithDelta(1.0, $features[0]['properties']['mean red'] / 3.1e-9, 1e-6);
    }

    public function test_what_was_measured_of_segments_goes_along(): void
    {
        $segments = $this->raster('s.tif', RasterSpec::segments(self::grid(4, 1)), [[1, 1, 2, 3]]);
        $values = $this->image('v.tif', 4, 1, ['nir' => [1.0, 3.0, NAN, 5.0]]);
        $this->compute(
            'segment.measure',
            ['segments' => $segments, 'images' => $values],
            ['measures' => 'mean(nir)', 'formulas' => 'twice = 2 * nir'],
            ['measures' => "$this->folder/m.npz"],
        );
        $features = $this->outlines($segments, [], ['measures' => "$this->folder/m.npz"])['features'];
        $told = array_column(array_column($features, 'properties'), null, 'code');
        self::assertEquals([2.0, 4.0], [$told[1]['mean(nir)'], $told[1]['twice']]);
        self::assertNull($told[2]['mean(nir)']);
        self::assertEquals(10.0, $told[3]['twice']);
        $map = $this->raster('c.tif', RasterSpec::classes(self::grid(4, 1), new Legend([1 => ['name' => 'one', 'colour' => '#111111']])), [[1, 1, 1, 1]]);
        $this->problem(3, 'contains no segments', fn (): array => $this->outlines($map, [], ['measures' => "$this->folder/m.npz"]));
    }

    public function test_a_band_cut_at_a_value(): void
    {
        $image = $this->image('v.tif', 4, 1, ['red' => [0.1, 0.6, 0.7, NAN]]);
        $features = $this->outlines($image, ['at-least' => 0.6])['features'];
        self::assertSame([[2]], [array_map(fn (array $feature): int => $feature['properties']['pixels'], $features)]);
        $this->problem(2, 'is not a class map: set a threshold', fn () => $this->outlines($image));
        $this->problem(2, 'has no class “ice”', fn () => $this->outlines($this->classes('m.tif', 2, 1, [1, 2], ['a', 'b']), ['only' => 'ice']));
        $this->problem(
            3,
            'are not on one grid',
            fn () => $this->outlines($image, ['at-least' => 0.6], ['values' => $this->image('w.tif', 5, 1, ['red' => [1, 1, 1, 1, 1]])]),
        );
    }
}
