<?php

namespace Chorometra\Core\Tests\Assess;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Ellipsoid;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;

final class MatrixTest extends TestCase
{
    /** @param  list<array{float, float, string|null}>  $points pixel position and label */
    private function points(array $points, int $epsg = 32632): string
    {
        $features = array_map(
            fn (array $point): array => [
                'type' => 'Feature',
                'geometry' => ['type' => 'Point', 'coordinates' => self::grid(4, 4)->toMap($point[0], $point[1])],
                'properties' => ['label' => $point[2]],
            ],
            $points,
        );
        file_put_contents(
            "$this->folder/points.geojson",
            json_encode([
                'type' => 'FeatureCollection',
                'crs' => ['type' => 'name', 'properties' => ['name' => "urn:ogc:def:crs:EPSG::$epsg"]],
                'features' => $features,
            ]),
        );

        return "$this->folder/points.geojson";
    }

    private function map(): string
    {
        return $this->classes('map.tif', 4, 1, [1, 1, 2, 255], ['land', 'water']);
    }

    public function test_matrix_figures_and_csv(): void
    {
        $points = $this->points([
            [0.5, 0.5, 'land'],
            [0.2, 0.2, 'land'],
            [1.5, 0.5, 'water'],
            [2.5, 0.5, 'water'],
            [2.1, 0.9, '2'],
            [3.5, 0.5, 'land'],
            [9.0, 9.0, 'land'],
            [0.9, 0.9, null],
        ]);
        $figures = $this->compute('assess.matrix', ['map' => $this->map(), 'points' => $points], [], ['result' => "$this->folder/m.csv"]);
        self::assertSame([[2, 1], [0, 2]], $figures['matrix']);
        self::assertSame(5, $figures['points']);
        self::assertSame([1, 2], [$figures['unlabelled'], $figures['outside']]);
        self::assertEqualsWithDelta(0.8, $figures['counted']['overall'], 1e-12);
        self::assertEqualsWithDelta(0.6153846, $figures['counted']['kappa'], 1e-6);
        // two thirds of the ground are land on the map, of which two thirds are right
        self::assertEqualsWithDelta(2 / 3 * 2 / 3 + 1 / 3, $figures['overall'], 1e-12);
        self::assertEqualsWithDelta(1.96 * 2 / 3 * sqrt(2 / 9 / 2), $figures['overallHalf'], 1e-12);
        self::assertEqualsWithDelta(['quantity' => 2 / 9, 'allocation' => 0.0], array_intersect_key($figures, ['quantity' => 1, 'allocation' => 1]), 1e-12);
        $rows = array_map(fn (string $line): array => str_getcsv($line, escape: ''), file("$this->folder/m.csv", FILE_IGNORE_NEW_LINES) ?: []);
        self::assertSame(['land', '2', '1', '3'], array_slice($rows[1], 0, 4));
        self::assertSame(['producers accuracy (points)', '1', '0.6666666666666666'], array_slice($rows[4], 0, 3));
        // area shares: W = 2/3, 1/3; land = 2/3 · 2/3
        self::assertEqualsWithDelta(4 / 9, $figures['classes'][0]['share'], 1e-12);
        self::assertEqualsWithDelta(4 / 9 * 3 * 0.04, $figures['classes'][0]['hectares'], 1e-12);
    }

    public function test_classes_weigh_what_they_cover_on_the_ground(): void
    {
        // as many pixels of each in degrees, but those in the north are smaller: between two parallels, areas are as the differences of q (Snyder 1987, 3-12)
        $codes = array_map(fn (int $i): int => $i < 50 ? 1 : 2, range(0, 99));
        $map = $this->raster('d.tif', RasterSpec::classes(new Grid(1, 100, [9.0, 0.3, 0.0, 70.0, 0.0, -0.3], 4326), Legend::of(['north', 'south'])), [$codes]);
        $features = [];
        foreach ([[69.9, 'north'], [60.0, 'north'], [50.0, 'south'], [41.0, 'south'], [45.0, 'north']] as [$latitude, $label]) {
            $features[] = ['type' => 'Feature', 'properties' => ['label' => $label], 'geometry' => ['type' => 'Point', 'coordinates' => [9.15, $latitude]]];
        }
        file_put_contents("$this->folder/p.geojson", json_encode(['type' => 'FeatureCollection', 'features' => $features]));
        $figures = $this->compute('assess.matrix', ['map' => $map, 'points' => "$this->folder/p.geojson"], [], ['result' => "$this->folder/m.csv"]);
        $e = new Ellipsoid;
        [$n, $s] = [$e->q(deg2rad(70.0)) - $e->q(deg2rad(55.0)), $e->q(deg2rad(55.0)) - $e->q(deg2rad(40.0))];
        self::assertEqualsWithDelta(($n + $s / 3) / ($n + $s), $figures['classes'][0]['share'], 1e-6, 'a third of the south is north');
        self::assertEqualsWithDelta(0.5 * $e->axis ** 2 * deg2rad(0.3) * $n / 1e4, $figures['classes'][0]['mappedHectares'], 1.0);
        self::assertSame([50, 50], array_column($figures['classes'], 'mapped'));
        $drawn = $this->compute('assess.draw', ['map' => $map], ['points' => 20, 'allocation' => 'proportional'], ['result' => "$this->folder/d.geojson"]);
        self::assertSame([(int) round(20 * $n / ($n + $s)), (int) round(20 * $s / ($n + $s))], array_column($drawn['strata'], 'points'));
        self::assertEqualsWithDelta($n / ($n + $s), $drawn['strata'][0]['share'], 1e-6);
    }

    /** @param  list<array{float, string, string|null, float}>  $points  column, label, stratum and its share of the ground */
    private function drawnPoints(array $points, string $design = 'stratified'): string
    {
        $features = array_map(
            fn (array $point): array => [
                'type' => 'Feature',
                'geometry' => ['type' => 'Point', 'coordinates' => self::grid(4, 4)->toMap($point[0], 0.5)],
                'properties' => ['label' => $point[1], 'stratum' => $point[2], 'share' => $point[3], 'design' => $design],
            ],
            $points,
        );
        $crs = ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']];
        file_put_contents("$this->folder/drawn.geojson", json_encode(['type' => 'FeatureCollection', 'crs' => $crs, 'features' => $features]));

        return "$this->folder/drawn.geojson";
    }

    public function test_the_stratum_that_a_point_was_drawn_from_weighs_it(): void
    {
        $results = ['result' => "$this->folder/m.json"];
        $run = fn (string $points): array => $this->compute('assess.matrix', ['map' => $this->map(), 'points' => $points], [], $results);
        // drawn from another map: nine tenths were wet there, though this map calls the places land
        $drawn = [[0.5, 'land', 'dry', 0.1], [1.5, 'land', 'dry', 0.1], [0.5, 'water', 'wet', 0.9], [1.5, 'water', 'wet', 0.9], [2.5, 'water', 'wet', 0.9],
            [2.5, 'water', 'wet', 0.9]];
        $figures = $run($this->drawnPoints($drawn));
        self::assertEqualsWithDelta(0.1 + 0.9 / 2, $figures['overall'], 1e-12);
        self::assertEqualsWithDelta(0.9, $figures['classes'][1]['share'], 1e-12);
        self::assertEqualsWithDelta(4 / 6, $figures['counted']['overall'], 1e-12);
        self::assertStringContainsString('labelled more than once', implode(' ', $figures['notes']));
        // of the whole map alike: what counts say, and a grid is said to be one
        $alike = $run($this->drawnPoints(array_map(fn (array $point): array => [$point[0], $point[1], null, 1.0], $drawn), 'systematic'));
        self::assertEqualsWithDelta([$alike['counted']['overall'], $alike['counted']['kappa']], [$alike['overall'], $alike['kappa']], 1e-12);
        self::assertStringContainsString('Systematic points', implode(' ', $alike['notes']));
        // a stratum of one point, and ground for which no point stands
        $single = $run($this->drawnPoints([...array_slice($drawn, 0, 2), [2.5, 'water', 'wet', 0.9]]));
        self::assertSame([1.0, null], [$single['overall'], $single['overallHalf']]);
        self::assertStringContainsString('Only one labelled point in: wet', implode(' ', $single['notes']));
        $missing = $run($this->drawnPoints(array_slice($drawn, 0, 2)));
        self::assertNull($missing['overall']);
        self::assertSame(1.0, (float) $missing['counted']['overall']);
        self::assertStringContainsString('strata without a point', $missing['notes'][0]);
        $this->problem(3, 'two shares of the stratum “dry”', fn () => $run($this->drawnPoints([[0.5, 'land', 'dry', 0.1], [1.5, 'land', 'dry', 0.2]])));
        $this->problem(3, 'cover 180 % of the area', fn () => $run($this->drawnPoints([[0.5, 'land', 'dry', 0.9], [1.5, 'land', 'wet', 0.9]])));
    }

    public function test_a_label_that_the_map_lacks_is_a_row_of_its_own(): void
    {
        $points = $this->points([[0.5, 0.5, 'land'], [1.5, 0.5, 'ice'], [1.2, 0.5, 'land'], [2.5, 0.5, 'water'], [2.1, 0.5, 'water']]);
        $figures = $this->compute('assess.matrix', ['map' => $this->map(), 'points' => $points], [], ['result' => "$this->folder/m.csv"]);
        self::assertSame(['land', 'water', 'ice'], array_column($figures['classes'], 'class'));
        self::assertSame([[2, 0, 1], [0, 2, 0], [0, 0, 0]], $figures['matrix']);
        self::assertEqualsWithDelta(2 / 3 / 3, $figures['classes'][2]['share'], 1e-12);
        self::assertNull($figures['classes'][2]['users']);
        self::assertSame(0.0, (float) $figures['classes'][2]['producers']);
        self::assertStringContainsString('The map has no class ice', $figures['notes'][0]);
        // cells lead to their points
        self::assertSame([0, 2], array_slice($figures['places'][1], 0, 2));
        self::assertEqualsWithDelta(self::grid(4, 4)->toMap(1.5, 0.5), array_slice($figures['places'][1], 2), 1e-9);
    }

    public function test_what_is_omitted_seldom_is_said_to_have_too_short_an_interval(): void
    {
        $points = array_map(fn (int $k): array => [$k % 2 + 0.1 + $k / 100, 0.5, $k < 20 ? 'land' : 'water'], range(0, 39));
        $points = [...$points, ...array_map(fn (int $k): array => [2.1 + $k / 100, 0.5, $k < 3 ? 'land' : 'water'], range(0, 39))];
        $figures = $this->compute('assess.matrix', ['map' => $this->map(), 'points' => $this->points($points)], [], ['result' => "$this->folder/m.csv"]);
        self::assertSame([3, 20], array_column($figures['classes'], 'omitted'));
        self::assertStringContainsString('Fewer than 15 points of land are', implode(' ', $figures['notes']));
        self::assertStringNotContainsString('water lie', implode(' ', $figures['notes']));
    }

    public function test_points_drawn_from_a_part_tell_of_its_hectares(): void
    {
        $path = $this->drawnPoints([[0.5, 'land', 'a', 0.5], [1.5, 'land', 'a', 0.5], [2.5, 'water', 'b', 0.5], [2.1, 'water', 'b', 0.5]]);
        file_put_contents($path, str_replace('"design"', '"ground":0.05,"design"', (string) file_get_contents($path)));
        $figures = $this->compute('assess.matrix', ['map' => $this->map(), 'points' => $path], [], ['result' => "$this->folder/m.csv"]);
        self::assertEqualsWithDelta(0.025, $figures['classes'][0]['hectares'], 1e-12);
        self::assertStringContainsString('drawn from 0.1 ha', $figures['notes'][0]);
    }

    public function test_labels_from_elsewhere_in_a_field_of_their_own_and_as_csv(): void
    {
        [$x, $y] = Crs::toGeographic(32632, ...self::grid(4, 4)->toMap(0.5, 0.5)) ?? [0.0, 0.0];
        [$x2, $y2] = Crs::toGeographic(32632, ...self::grid(4, 4)->toMap(2.5, 0.5)) ?? [0.0, 0.0];
        file_put_contents("$this->folder/field.csv", "longitude,latitude,seen,who\n$x,$y,land,Ada\n$x2,$y2,land,Ada\n");
        $run = fn (string $field): array => $this->compute('assess.matrix', ['map' => $this->map(), 'points' => "$this->folder/field.csv"], ['field' => $field],
            ['result' => "$this->folder/m.csv"]);
        self::assertSame([[1, 0], [1, 0]], $run('seen')['matrix']);
        $this->problem(3, 'has no property “class” that could hold the labels; it has longitude, latitude, seen, who', fn () => $run('class'));
        file_put_contents("$this->folder/field.csv", "x,y,label\n1,2,land\n");
        $this->problem(3, 'has no columns longitude and latitude', fn () => $run('label'));
        file_put_contents("$this->folder/field.csv", "longitude,latitude,label\n7,200,land\n");
        $this->problem(3, 'no valid coordinates in row 2', fn () => $run('label'));
    }

    public function test_bad_points(): void
    {
        $run = fn (string $points) => $this->compute('assess.matrix', ['map' => $this->map(), 'points' => $points], [], ['result' => "$this->folder/m.csv"]);
        $this->problem(3, 'None of the labels (“ice”) is a class of map.tif, whose classes are land, water', fn () => $run($this->points([[0.5, 0.5, 'ice']])));
        $this->problem(3, 'None of the 1 points', fn () => $run($this->points([[0.5, 0.5, null]])));
        $this->problem(3, 'EPSG:27200 is not supported', fn () => $run($this->points([[0.5, 0.5, 'land']], 27200)));
        file_put_contents(
            "$this->folder/line.geojson",
            '{"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"LineString","coordinates":[[1,2],[3,4]]},"properties":{}}]}',
        );
        $this->problem(3, 'are not points', fn () => $run("$this->folder/line.geojson"));
        file_put_contents("$this->folder/text.geojson", 'not json');
        $this->problem(3, 'is no GeoJSON', fn () => $run("$this->folder/text.geojson"));
        self::assertFileDoesNotExist("$this->folder/m.csv");
    }
}
