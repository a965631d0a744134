<?php

namespace Chorometra\Core\Tests\Deliver;

use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

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
        $corners = fn (array $features): int => array_sum(array_map(fn (array $feature): int => array_sum(array_map(count(...), $feature['geometry']['coordinates'])), $features));
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

    public function test_a_band_cut_at_a_value(): void
    {
        $image = $this->image('v.tif', 4, 1, ['red' => [0.1, 0.6, 0.7, NAN]]);
        $features = $this->outlines($image, ['at-least' => 0.6])['features'];
        self::assertSame([[2]], [array_map(fn (array $feature): int => $feature['properties']['pixels'], $features)]);
        $this->problem(2, 'is no class map: say from which value on', fn () => $this->outlines($image));
        $this->problem(2, '“ice” is no class', fn () => $this->outlines($this->classes('m.tif', 2, 1, [1, 2], ['a', 'b']), ['only' => 'ice']));
        $this->problem(3, 'do not lie on one grid', fn () => $this->outlines($image, ['at-least' => 0.6], ['values' => $this->image('w.tif', 5, 1, ['red' => [1, 1, 1, 1, 1]])]));
    }
}
