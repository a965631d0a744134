<?php

namespace Chorometra\Core\Tests\Assess;

use Chorometra\Core\Assess\Check\Allocation;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Geo\Ellipsoid;
use Chorometra\Core\Geo\Geodesic;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use PHPUnit\Framework\Attributes\DataProvider;

final class DrawTest extends TestCase
{
    private function map(): string
    {
        // 0 and nodata are never drawn
        $codes = array_map(fn (int $i): int => [1, 1, 1, 2, 0, 255, 1, 3, 2, 1][($i * 7 + intdiv($i, 50)) % 10], range(0, 2499));

        return $this->classes('map.tif', 50, 50, $codes, ['sand', 'reed', 'mud']);
    }

    /** @return list<array<string, mixed>> */
    private function draw(array $settings, string $name = 'p', int $workers = 2): array
    {
        $this->compute('assess.draw', ['map' => $this->map()], $settings, ['result' => "$this->folder/$name.geojson"], new Context($workers, $this->folder));

        return json_decode((string) file_get_contents("$this->folder/$name.geojson"), true)['features'];
    }

    public function test_each_point_is_the_centre_of_a_pixel_of_its_stratum(): void
    {
        $features = $this->draw(['points' => 60, 'seed' => 4]);
        self::assertSame(
            ['sand' => 20, 'reed' => 20, 'mud' => 20],
            array_replace(['sand' => 0, 'reed' => 0, 'mud' => 0], array_count_values(array_column(array_column($features, 'properties'), 'stratum'))),
        );
        $map = new GeoTiffImage($this->map());
        $places = LabelledPoints::read("$this->folder/p.geojson", $map->spec()->grid->epsg);
        self::assertCount(60, array_unique(array_map(fn (array $place): string => round($place['x'], 3).' '.round($place['y'], 3), $places)));
        foreach ($features as $i => $feature) {
            $code = Values::codeAt($map, $places[$i]['x'], $places[$i]['y']);
            self::assertSame($feature['properties']['stratum'], $map->spec()->legend?->name((int) $code));
            [$col, $row] = $map->spec()->grid->toPixel($places[$i]['x'], $places[$i]['y']);
            self::assertEqualsWithDelta([0.5, 0.5], [fmod($col, 1.0), fmod($row, 1.0)], 1e-5);
            self::assertNull($feature['properties']['label']);
        }
    }

    public function test_a_seed_draws_the_same_points_however_many_work(): void
    {
        self::assertSame($this->draw(['points' => 40, 'seed' => 9], 'a', 1), $this->draw(['points' => 40, 'seed' => 9], 'b', 3));
        self::assertNotSame($this->draw(['points' => 40, 'seed' => 9], 'a'), $this->draw(['points' => 40, 'seed' => 10], 'b'));
    }

    public function test_where_all_are_wanted_every_labelled_pixel_is_drawn_once(): void
    {
        foreach (['random', 'stratified'] as $design) {
            $features = $this->draw(['points' => 9000, 'design' => $design]);
            $map = new GeoTiffImage($this->map());
            $pixels = [];
            foreach (LabelledPoints::read("$this->folder/p.geojson", $map->spec()->grid->epsg) as $i => $place) {
                [$col, $row] = $map->spec()->grid->toPixel($place['x'], $place['y']);
                $pixels[50 * (int) $row + (int) $col] = Values::codeAt($map, $place['x'], $place['y']);
                self::assertSame($design, $features[$i]['properties']['design']);
            }
            ksort($pixels);
            $expected = array_filter(self::pixels($map), fn (int $code): bool => in_array($code, [1, 2, 3], true));
            self::assertCount(count($expected), $features);
            self::assertSame($expected, $pixels);
            // what points were drawn from covers all ground
            $shares = array_column(array_column($features, 'properties'), 'share', 'stratum');
            self::assertEqualsWithDelta(1.0, array_sum($shares), 1e-12);
            self::assertCount($design === 'random' ? 1 : 3, $shares);
        }
    }

    public function test_designs_and_distance(): void
    {
        self::assertCount(50, $this->draw(['points' => 50, 'design' => 'random']));
        $systematic = $this->draw(['points' => 100, 'design' => 'systematic']);
        // a tenth of the pixels is unlabelled, a tenth nodata
        self::assertEqualsWithDelta(80, count($systematic), 31);
        $this->draw(['points' => 30, 'distance' => 100, 'design' => 'random'], 'far');
        $places = LabelledPoints::read("$this->folder/far.geojson", (new GeoTiffImage($this->map()))->spec()->grid->epsg);
        foreach ($places as $i => $one) {
            foreach (array_slice($places, $i + 1) as $other) {
                self::assertGreaterThanOrEqual(100 - 1e-3, hypot($one['x'] - $other['x'], $one['y'] - $other['y']));
            }
        }
    }

    /** @return array<string, array{string, string}> */
    public static function designs(): array
    {
        return ['random' => ['random', ''], 'stratified' => ['stratified', ''], 'systematic' => ['systematic', ''], 'with a distance' => ['random', '2000']];
    }

    #[DataProvider('designs')]
    public function test_in_degrees_all_ground_is_drawn_alike(string $design, string $distance): void
    {
        // one class from 35 to 70 degrees north; what lies south of 52.5 is half of the pixels and more than half of the ground
        $grid = new Grid(200, 350, [10.0, 0.1, 0.0, 70.0, 0.0, -0.1], 4326);
        $map = $this->raster('map.tif', RasterSpec::classes($grid, Legend::of(['land'])), [array_fill(0, 200 * 350, 1)]);
        $this->compute('assess.draw', ['map' => $map], ['points' => 3000, 'design' => $design] + ($distance === '' ? [] : ['distance' => $distance]), [
            'result' => "$this->folder/p.geojson",
        ]);
        $features = json_decode((string) file_get_contents("$this->folder/p.geojson"), true)['features'];
        $south = 0;
        foreach ($features as &$feature) {
            $isSouth = $feature['geometry']['coordinates'][1] < 52.5;
            $south += $isSouth ? 1 : 0;
            $feature['properties']['label'] = $isSouth ? 'land' : 'water';
        }
        // the cylindrical equal-area plane of WGS 84, Snyder 1987, 3-12
        $q = fn (float $degrees): float => (new Ellipsoid)->q(deg2rad($degrees));
        $share = ($q(52.5) - $q(35.0)) / ($q(70.0) - $q(35.0));
        self::assertEqualsWithDelta(0.600, $share, 0.002);
        $points = count($features);
        self::assertEqualsWithDelta(3000, $points, $design === 'systematic' ? 150 : 0);
        self::assertEqualsWithDelta($share, $south / $points, 3 * sqrt(0.24 / 3000));
        // and so the matrix tells the share by ground as well
        file_put_contents("$this->folder/p.geojson", json_encode(['type' => 'FeatureCollection', 'features' => $features]));
        $figures = $this->compute('assess.matrix', ['map' => $map, 'points' => "$this->folder/p.geojson"], [], ['result' => "$this->folder/m.csv"]);
        self::assertEqualsWithDelta($share, $figures['overall'], 3 * sqrt(0.24 / 3000));
    }

    public function test_unlabelled_ground_is_a_stratum_by_choice_and_always_reported(): void
    {
        $map = $this->map();
        $draw = function (array $settings) use (&$map): array {
            return $this->compute('assess.draw', ['map' => $map], $settings, ['result' => "$this->folder/p.geojson"]);
        };
        $unlabelled = 250 / 2250;
        $figures = $draw(['points' => 40]);
        self::assertEqualsWithDelta($unlabelled, $figures['ground-unlabelled'], 1e-9);
        self::assertStringContainsString('11.1 % of the map area is unlabelled', $figures['notes'][0]);
        foreach (['stratified', 'random', 'systematic'] as $design) {
            $figures = $draw(['points' => 400, 'design' => $design, 'unlabelled' => true]);
            self::assertArrayNotHasKey('notes', $figures);
            self::assertEqualsWithDelta([0, $unlabelled], [$figures['strata'][0]['code'], $figures['strata'][0]['share']], 1e-9);
            self::assertGreaterThan(20, $figures['strata'][0]['points']);
            $json = json_decode((string) file_get_contents("$this->folder/p.geojson"), true);
            foreach ($json['features'] as &$feature) {
                $feature['properties']['label'] = 'sand';
            }
            file_put_contents("$this->folder/l.geojson", json_encode($json));
            $found = $this->compute('assess.matrix', ['map' => $map, 'points' => "$this->folder/l.geojson"], [], ['result' => "$this->folder/m.csv"]);
            self::assertSame(['unlabelled', 0], [$found['classes'][0]['class'], $found['outside']]);
            // all is sand: what the map calls sand is right, what it leaves unlabelled is not
            $of = fn (string $class): float => array_column($figures['strata'], 'share', 'class')[$class];
            self::assertEqualsWithDelta($of('sand'), $found['overall'], ['stratified' => 1e-9, 'random' => 0.1, 'systematic' => 0.2][$design], $design);
        }
        // away from edges, too, nothing that may not be drawn turns into unlabelled ground
        $codes = array_map(fn (int $i): int => $i % 50 < 20 ? 1 : ($i % 50 < 40 ? 2 : 0), range(0, 2499));
        $map = $this->classes('halves.tif', 50, 50, $codes, ['sand', 'reed']);
        $figures = $draw(['points' => 4000, 'unlabelled' => true, 'edges' => 'away', 'edge-distance' => 3]);
        self::assertSame(['unlabelled' => 500, 'sand' => 850, 'reed' => 850], array_column($figures['strata'], 'points', 'class'));
    }

    public function test_neyman_and_proportional_allocation_against_a_worked_example(): void
    {
        $example = self::fixture('o_accuracy_worked.json');
        $pixels = array_map(fn (float $weight): int => (int) round(1e7 * $weight), $example['olofsson']['W']);
        self::assertEqualsWithDelta($example['olofsson_proportional'], Allocation::allocate($pixels, 641, 'proportional'), 1.0);
        // expected user's accuracies of Olofsson et al. 2014: 0.7, 0.6, 0.9, 0.95
        self::assertEqualsWithDelta($example['neyman'], Allocation::allocate($pixels, 641, 'neyman', [0.7, 0.6, 0.9, 0.95]), 1.0);
        self::assertSame([1 => 4, 2 => 3, 3 => 3], Allocation::allocate([1 => 100, 2 => 100, 3 => 100], 10, 'equal'));
        // what a small class can't hold is shared out, and so is what others must have
        self::assertSame([1 => 2, 2 => 8], Allocation::allocate([1 => 2, 2 => 100], 10, 'equal'));
        $asked = Allocation::allocate($pixels, 641, 'proportional', [], 50);
        self::assertSame([641, 50], [array_sum($asked), min($asked)]);
        self::assertSame([1 => 3, 2 => 4], Allocation::allocate([1 => 3, 2 => 4], 100, 'proportional', [], 5));
        self::assertSame(
            [1 => 1, 2 => 9],
            Allocation::allocate([1 => 50, 2 => 9], 10, 'neyman', [1.0, 0.5]),
            'a class expected to be all right gets what the others can not hold',
        );
        self::assertSame([1 => 9, 2 => 1], Allocation::allocate([1 => 50, 2 => 50], 10, 'proportional', [], 0, [1 => 900.0, 2 => 100.0]), 'by area');
        $this->problem(
            2,
            '50 points for each of 4 classes are 200 in all, more than the 120 asked for: ask for 200 or more',
            fn () => Allocation::allocate($pixels, 120, 'equal', [], 50),
        );
    }

    /** @return iterable<string, array{int, array{float, float, float, float, float, float}, float}> */
    public static function grounds(): iterable
    {
        yield 'oblong pixels' => [32632, [431_000.0, 10.0, 0.0, 6_072_000.0, 0.0, -90.0], 150.0];
        yield 'web Mercator at 55 north' => [3857, [1_000_000.0, 20.0, 0.0, 7_361_866.0, 0.0, -20.0], 60.0];
        yield 'degrees' => [4326, [9.0, 0.001, 0.0, 54.8, 0.0, -0.001], 300.0];
        yield 'turned' => [32632, [431_000.0, 14.0, 14.0, 6_072_000.0, 14.0, -14.0], 90.0];
    }

    /** @param  array{float, float, float, float, float, float}  $transform */
    #[DataProvider('grounds')]
    public function test_distances_are_metres_on_the_ground(int $epsg, array $transform, float $distance): void
    {
        $map = $this->raster('g.tif', RasterSpec::classes(new Grid(80, 60, $transform, $epsg), Legend::of(['land'])), [array_fill(0, 4800, 1)]);
        foreach (['random', 'systematic'] as $design) {
            $figures = $this->compute(
                'assess.draw',
                ['map' => $map],
                ['points' => 40, 'distance' => $distance * ($design === 'random' ? 1 : 0.5), 'design' => $design],
                ['result' => "$this->folder/g.geojson"],
            );
            self::assertEqualsWithDelta(40, $figures['points'], $design === 'random' ? 0 : 14, $design);
            $places = array_column(
                array_column(json_decode((string) file_get_contents("$this->folder/g.geojson"), true)['features'], 'geometry'),
                'coordinates',
            );
            $nearest = INF;
            foreach ($places as $i => $one) {
                foreach (array_slice($places, $i + 1) as $other) {
                    $nearest = min($nearest, Geodesic::distance($one, $other, new Ellipsoid));
                }
            }
            self::assertGreaterThan(0.999 * $distance * ($design === 'random' ? 1 : 0.5), $nearest, $design);
        }
        // crowded: as near as they may be, and no nearer
        $this->compute(
            'assess.draw',
            ['map' => $map],
            ['points' => 4800, 'distance' => $distance, 'design' => 'random'],
            ['result' => "$this->folder/g.geojson"],
        );
        $places = array_column(array_column(json_decode((string) file_get_contents("$this->folder/g.geojson"), true)['features'], 'geometry'), 'coordinates');
        $nearest = INF;
        foreach ($places as $i => $one) {
            foreach (array_slice($places, $i + 1) as $other) {
                $nearest = min($nearest, Geodesic::distance($one, $other, new Ellipsoid));
            }
        }
        self::assertEqualsWithDelta(1.1, $nearest / $distance, 0.101);
        $this->problem(
            2,
            'less than the least distance: ask for fewer',
            fn () => $this->compute(
                'assess.draw',
                ['map' => $map],
                ['points' => 2000, 'distance' => $distance, 'design' => 'systematic'],
                ['result' => "$this->folder/g.geojson"],
            ),
        );
    }

    public function test_bad_calls(): void
    {
        $this->problem(2, 'Neyman allocation needs the expected accuracy', fn () => $this->draw(['allocation' => 'neyman', 'expected' => '50']));
        $this->problem(2, 'points is 0', fn () => $this->draw(['points' => 0]));
        $this->problem(
            3,
            'no labelled pixels',
            fn () => $this->compute('assess.draw', ['map' => $this->classes('e.tif', 2, 1, [0, 255], ['a'])], [], ['result' => "$this->folder/p.geojson"]),
        );
    }

    /** @return array<int, int> codes by pixel of the points of a file */
    private function drawnFrom(string $name): array
    {
        $map = new GeoTiffImage($this->map());
        $pixels = [];
        foreach (LabelledPoints::read("$this->folder/$name.geojson", $map->spec()->grid->epsg) as $place) {
            [$col, $row] = $map->spec()->grid->toPixel($place['x'], $place['y']);
            $pixels[50 * (int) $row + (int) $col] = (int) Values::codeAt($map, $place['x'], $place['y']);
        }

        return $pixels;
    }

    public function test_own_numbers_of_points_are_taken_as_they_are(): void
    {
        $counts = array_count_values($this->drawnFromAfter(['allocation' => 'own', 'own' => '7,0,12', 'points' => 100]));
        self::assertSame([1 => 7, 3 => 12], [1 => $counts[1], 3 => $counts[3]]);
        $this->expectExceptionMessage('whole number of points for each of the 3 classes');
        $this->draw(['allocation' => 'own', 'own' => '7,2']);
    }

    /** @return array<int, int> */
    private function drawnFromAfter(array $settings): array
    {
        $this->draw($settings, 'q');

        return $this->drawnFrom('q');
    }

    public function test_more_points_join_those_that_were_drawn_and_labelled(): void
    {
        foreach (['stratified', 'random'] as $design) {
            $first = $this->draw(['points' => 30, 'design' => $design, 'seed' => 3], 'first');
            $first[4]['properties']['label'] = 'mud';
            file_put_contents("$this->folder/first.geojson", json_encode(['type' => 'FeatureCollection', 'features' => $first]));
            $before = $this->drawnFrom('first');
            $figures = $this->compute('assess.draw', ['map' => $this->map(), 'earlier' => "$this->folder/first.geojson"],
                ['points' => 75, 'design' => $design, 'seed' => 3], ['result' => "$this->folder/more.geojson"]);
            $more = json_decode((string) file_get_contents("$this->folder/more.geojson"), true)['features'];
            $pixels = $this->drawnFrom('more');
            self::assertCount(75, $pixels, 'none is drawn twice');
            self::assertSame([], array_diff_key($before, $pixels));
            self::assertSame('mud', $more[4]['properties']['label']);
            self::assertSame(range(1, 75), array_map(fn (array $feature): int => $feature['properties']['number'], $more));
            self::assertSame(30, $figures['earlier']);
            if ($design === 'stratified') {
                self::assertSame([25, 25, 25], array_column($figures['strata'], 'points'));
                self::assertCount(3, array_unique(array_column(array_column($more, 'properties'), 'share')));
            }
        }
    }

    public function test_earlier_points_in_map_coordinates_stay_where_they_lie(): void
    {
        $first = $this->draw(['points' => 9], 'first');
        $grid = (new GeoTiffImage($this->map()))->spec()->grid;
        $places = LabelledPoints::read("$this->folder/first.geojson", $grid->epsg);
        foreach ($first as $k => $feature) {
            $first[$k]['geometry']['coordinates'] = [$places[$k]['x'], $places[$k]['y']];
        }
        file_put_contents("$this->folder/projected.geojson", json_encode([
            'type' => 'FeatureCollection',
            'crs' => ['type' => 'name', 'properties' => ['name' => "urn:ogc:def:crs:EPSG::$grid->epsg"]],
            'features' => $first,
        ]));
        $this->compute('assess.draw', ['map' => $this->map(), 'earlier' => "$this->folder/projected.geojson"], ['points' => 12],
            ['result' => "$this->folder/more.geojson"]);
        $more = LabelledPoints::read("$this->folder/more.geojson", $grid->epsg);
        self::assertCount(12, $more);
        foreach ($places as $k => $place) {
            self::assertEqualsWithDelta([$place['x'], $place['y']], [$more[$k]['x'], $more[$k]['y']], 1e-3);
        }
    }

    public function test_points_of_another_design_or_map_are_not_added_to(): void
    {
        $this->draw(['points' => 30], 'first');
        $told = [
            'keep the original design' => ['design' => 'random'],
            'can\'t be added to' => ['design' => 'systematic'],
            'There are 30 points already' => ['points' => 20],
        ];
        foreach ($told as $sentence => $settings) {
            try {
                $this->compute('assess.draw', ['map' => $this->map(), 'earlier' => "$this->folder/first.geojson"], $settings + ['points' => 60],
                    ['result' => "$this->folder/more.geojson"]);
                self::fail($sentence);
            } catch (Problem $problem) {
                self::assertStringContainsString($sentence, $problem->getMessage());
            }
        }
        $text = (string) file_get_contents("$this->folder/first.geojson");
        file_put_contents("$this->folder/first.geojson", (string) preg_replace('/"share":[\d.]+/', '"share":0.25', $text));
        $this->expectExceptionMessage('drawn from another map, or from another part');
        $this->compute('assess.draw', ['map' => $this->map(), 'earlier' => "$this->folder/first.geojson"], ['points' => 60],
            ['result' => "$this->folder/more.geojson"]);
    }

    public function test_along_and_away_from_edges_and_training_areas_against_a_plain_look(): void
    {
        $map = fn (int $col, int $row): int => $col < 20 ? 1 : ($row < 25 ? 2 : 3);
        $codes = array_map(fn (int $i): int => $map($i % 50, intdiv($i, 50)), range(0, 2499));
        $path = $this->classes('plain.tif', 50, 50, $codes, ['sand', 'reed', 'mud']);
        $grid = (new GeoTiffImage($path))->spec()->grid;
        // a square of 4 x 4 pixels around columns and rows 30 to 33
        $ring = array_map(fn (array $at): array => $grid->toMap(...$at), [[30, 30], [34, 30], [34, 34], [30, 34], [30, 30]]);
        file_put_contents("$this->folder/training.geojson", json_encode([
            'type' => 'FeatureCollection',
            'crs' => ['type' => 'name', 'properties' => ['name' => "urn:ogc:def:crs:EPSG::$grid->epsg"]],
            'features' => [['type' => 'Feature', 'properties' => (object) [], 'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]]]],
        ]));
        $pixel = abs($grid->transform[1]);
        $isEdge = function (int $col, int $row, int $reach) use ($map): bool {
            $found = [];
            for ($y = max(0, $row - $reach); $y <= min(49, $row + $reach); $y++) {
                for ($x = max(0, $col - $reach); $x <= min(49, $col + $reach); $x++) {
                    $found[$map($x, $y)] = true;
                }
            }

            return count($found) > 1;
        };
        $isNear = function (int $col, int $row, float $reach): bool {
            $apart = [max(30 - $col, 0, $col - 33), max(30 - $row, 0, $row - 33)];

            return hypot(...$apart) <= $reach;
        };
        $wanted = [
            'edges' => [['edges' => 'along', 'edge-distance' => 2], fn (int $col, int $row): bool => $isEdge($col, $row, 2)],
            'away from edges' => [['edges' => 'away', 'edge-distance' => 3], fn (int $col, int $row): bool => ! $isEdge($col, $row, 3)],
            'away from training' => [['training-distance' => 5.5 * $pixel], fn (int $col, int $row): bool => ! $isNear($col, $row, 5.5)],
            'along training' => [['from-training' => 'along', 'training-distance' => 5.5 * $pixel], fn (int $col, int $row): bool => $isNear($col, $row, 5.5)],
        ];
        foreach ($wanted as $name => [$settings, $is]) {
            $inputs = ['map' => $path] + (str_contains($name, 'training') ? ['training' => "$this->folder/training.geojson"] : []);
            $figures = $this->compute('assess.draw', $inputs, $settings + ['design' => 'random', 'points' => 2500], ['result' => "$this->folder/all.geojson"]);
            $pixels = [];
            foreach (LabelledPoints::read("$this->folder/all.geojson", $grid->epsg) as $place) {
                [$col, $row] = $grid->toPixel($place['x'], $place['y']);
                $pixels[] = 50 * (int) $row + (int) $col;
            }
            sort($pixels);
            self::assertSame(array_values(array_filter(range(0, 2499), fn (int $i): bool => $is($i % 50, intdiv($i, 50)))), $pixels, $name);
            self::assertStringContainsString('to that part only', $figures['notes'][0]);
        }
    }
}
