<?php

namespace Chorometra\Core\Tests\Assess;

use Chorometra\Core\Tests\TestCase;

final class OutlinesTest extends TestCase
{
    /** @param  list<array{float, float, float}>  $squares  left, bottom and side in metres of UTM */
    private function squares(string $name, array $squares): string
    {
        $features = array_map(function (array $square): array {
            [$x, $y, $side] = [500_000 + $square[0], 6_000_000 + $square[1], $square[2]];
            $ring = [[$x, $y], [$x + $side, $y], [$x + $side, $y + $side], [$x, $y + $side], [$x, $y]];

            return ['type' => 'Feature', 'properties' => (object) [], 'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]]];
        }, $squares);
        $crs = ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']];
        file_put_contents("$this->folder/$name.geojson", json_encode(['type' => 'FeatureCollection', 'crs' => $crs, 'features' => $features]));

        return "$this->folder/$name.geojson";
    }

    public function test_shared_omitted_and_committed_hectares_by_hand(): void
    {
        $inputs = ['outlines' => $this->squares('mine', [[0, 0, 100]]), 'reference' => $this->squares('true', [[50, 0, 100]])];
        $figures = $this->compute('assess.outlines', $inputs, [], ['result' => "$this->folder/o.csv"]);
        // on the central meridian of UTM lengths are 0.9996 of those on the ground
        $scale = 1 / 0.9996 ** 2;
        $wanted = ['union' => 1 / 3, 'hectares' => $scale, 'reference' => $scale, 'shared' => 0.5 * $scale, 'omitted' => 0.5 * $scale,
            'omission' => 0.5, 'committed' => 0.5 * $scale, 'commission' => 0.5];
        foreach ($wanted as $name => $value) {
            self::assertEqualsWithDelta($value, $figures[$name], 2e-6, $name);
        }
        // 100 m on the left lie 50 m off, 100 m on the right inside at 0 to 50 m from the sides above and below, half of those themselves 0 to 50 m off
        self::assertEqualsWithDelta((100 * 50 + 100 * 25 + 2 * 50 * 25) / 400 / 0.9996, $figures['distance'], 0.05);
        self::assertStringContainsString('union,0.333', (string) file_get_contents("$this->folder/o.csv"));
    }

    public function test_the_same_outlines_have_nothing_between_them(): void
    {
        $path = $this->squares('mine', [[0, 0, 100], [300, 40, 20]]);
        $figures = $this->compute('assess.outlines', ['outlines' => $path, 'reference' => $path], [], ['result' => "$this->folder/o.csv"]);
        self::assertSame([1.0, 0.0, 0.0], [$figures['union'], round($figures['omitted'], 9), round($figures['distance'], 9)]);
    }

    public function test_distances_of_a_border_within_another(): void
    {
        $inputs = ['outlines' => $this->squares('mine', [[10, 10, 80]]), 'reference' => $this->squares('true', [[0, 0, 100]])];
        $figures = $this->compute('assess.outlines', $inputs, [], ['result' => "$this->folder/o.csv"]);
        self::assertEqualsWithDelta(10 / 0.9996, $figures['fromOutlines'], 1e-3);
        // corners lie farther off: along 10 m at each end √(10² + t²)
        $corner = 0.5 * (10 * sqrt(200) + 100 * asinh(1.0)) / 10;
        self::assertEqualsWithDelta((80 * 10 + 20 * $corner) / 100 / 0.9996, $figures['fromReference'], 0.01);
    }

    public function test_what_is_no_outline_is_told(): void
    {
        file_put_contents("$this->folder/p.geojson", '{"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"Point","coordinates":[1,2]}'
            .',"properties":{}}]}');
        $this->problem(3, 'p.geojson contains no polygons', fn () => $this->compute('assess.outlines',
            ['outlines' => "$this->folder/p.geojson", 'reference' => $this->squares('true', [[0, 0, 100]])], [], ['result' => "$this->folder/o.csv"]));
    }

    public function test_borders_that_were_rounded_differently_leave_no_slivers(): void
    {
        $inputs = ['before' => $this->squares('before', [[0, 0, 100]]), 'after' => $this->squares('after', [[0.001, 0, 100], [300, 0, 0.05]])];
        $figures = $this->compute('compare.outlines', $inputs, [], ['result' => "$this->folder/parts.geojson"]);
        // a small square is no sliver
        self::assertSame(['both' => 1, 'gone' => 0, 'come' => 1], array_slice(array_column($figures['parts'], 'outlines', 'part'), 0, 3));
    }

    public function test_parts_of_two_dates_with_their_areas(): void
    {
        $inputs = ['before' => $this->squares('before', [[0, 0, 100]]), 'after' => $this->squares('after', [[50, 50, 100], [400, 0, 10]])];
        $figures = $this->compute('compare.outlines', $inputs, [], ['result' => "$this->folder/parts.geojson"]);
        $rows = array_column($figures['parts'], null, 'part');
        $scale = 0.9996 ** 2;
        foreach (['both' => [1, 0.25], 'gone' => [1, 0.75], 'come' => [2, 0.76]] as $part => [$outlines, $hectares]) {
            self::assertSame($outlines, $rows[$part]['outlines']);
            self::assertEqualsWithDelta($hectares, $rows[$part]['hectares'] * $scale, 3e-6, $part);
        }
        $features = json_decode((string) file_get_contents("$this->folder/parts.geojson"), true)['features'];
        self::assertCount(4, $features);
        self::assertEqualsWithDelta(1.76, array_sum(array_map(fn (array $one): float => $one['properties']['hectares'], $features)) * $scale, 1e-5);
        // what was outlined lies where it was
        $again = $this->compute('assess.outlines', ['outlines' => "$this->folder/parts.geojson", 'reference' => $inputs['after']], [],
            ['result' => "$this->folder/o.csv"]);
        self::assertEqualsWithDelta(0.0, $again['omission'], 1e-6);
    }
}
