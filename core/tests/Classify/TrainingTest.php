<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Cases\Areas;
use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Teach;
use Chorometra\Core\Classify\Training\PublishedLegends;
use Chorometra\Core\Classify\Training\SeedGrowth;
use Chorometra\Core\Classify\Training\SegmentAt;
use Chorometra\Core\Classify\Training\TrainingDiagnostics;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Ellipsoid;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Stats\Separability;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** What training areas say before anything is taught, and areas that an image draws by itself. */
final class TrainingTest extends TestCase
{
    public function test_each_class_is_told_by_its_own_pixels(): void
    {
        [$image, $values] = $this->scene();
        $told = $this->told($image, [['dark', 0, 0, 10, 10], ['dark', 20, 50, 4, 5], ['bright', 30, 30, 10, 10], ['bright', 40, 5, 10, 8]]);
        self::assertSame(['red', 'nir'], array_column($told['bands'], 'name'));
        [$dark, $bright] = $told['classes'];
        self::assertSame(['dark', 2, 120, 2], [$dark['class'], $dark['areas'], $dark['pixels'], $dark['parts']]);
        self::assertEqualsWithDelta(120 * 400 / 1e4, $dark['hectares'], 0.01, 'on the ground, where the map is a little too large');
        self::assertSame(180, $bright['pixels']);
        $own = [];
        foreach ([[0, 0, 10, 10], [20, 50, 4, 5]] as [$col, $row, $width, $height]) {
            for ($i = 0; $i < $width * $height; $i++) {
                $own[] = $values[1][($row + intdiv($i, $width)) * 60 + $col + $i % $width];
            }
        }
        $mean = array_sum($own) / 120;
        self::assertEqualsWithDelta($mean, $dark['means'][1], 1e-6);
        self::assertEqualsWithDelta(sqrt(array_sum(array_map(fn (float $v): float => ($v - $mean) ** 2, $own)) / 119), $dark['deviations'][1], 1e-6);
        self::assertSame([120, 180], [array_sum($dark['histograms'][0]), array_sum($bright['histograms'][1])]);
        [$one, $other] = array_map(fn (array $class): Normal|array => Normal::of($class['means'], $class['covariances']), $told['classes']);
        self::assertInstanceOf(Normal::class, $one);
        self::assertInstanceOf(Normal::class, $other);
        self::assertEqualsWithDelta(Separability::jeffriesMatusita($one, $other), $told['pairs'][0]['jm'], 1e-12);
        self::assertEqualsWithDelta(Separability::transformedDivergence($one, $other), $told['pairs'][0]['td'], 1e-12);
        self::assertSame('red', $told['pairs'][0]['best'][0], 'nir is the same in both');
        self::assertSame([], $told['said'], 'nothing stands against it');
    }

    public function test_hectares_are_those_of_the_rows_that_areas_lie_in(): void
    {
        // in degrees rows in the north are narrower: between two parallels areas are as the differences of q (Snyder 1987, 3-12)
        $grid = new Grid(20, 100, [9.0, 0.3, 0.0, 70.0, 0.0, -0.3], 4326);
        $values = array_map(fn (int $i): float => ($i * 7 % 11) / 11, range(0, 1999));
        $image = $this->raster('degrees.tif', new RasterSpec($grid, [new Band(name: 'red')]), [$values]);
        [$north, $south] = $this->told($image, [['north', 0, 0, 10, 10], ['south', 0, 90, 10, 10]], grid: $grid)['classes'];
        self::assertSame([100, 100], [$north['pixels'], $south['pixels']]);
        $e = new Ellipsoid;
        $area = fn (float $from, float $to): float => 0.5 * $e->axis ** 2 * deg2rad(3.0) * ($e->q(deg2rad($from)) - $e->q(deg2rad($to))) / 1e4;
        self::assertEqualsWithDelta(1.0, $north['hectares'] / $area(70.0, 67.0), 1e-4);
        self::assertEqualsWithDelta(1.0, $south['hectares'] / $area(43.0, 40.0), 1e-4);
    }

    public function test_what_stands_against_it_is_said_in_words(): void
    {
        [$image] = $this->scene();
        $says = function (array $boxes, array $settings = []) use ($image): string {
            return implode("\n", array_column($this->told($image, $boxes, $settings)['said'], 'text'));
        };
        self::assertStringContainsString('All areas are “dark”', $says([['dark', 0, 0, 10, 10]]));
        $text = $says([['dark', 0, 0, 2, 1], ['bright', 30, 30, 4, 4], ['bright', 40, 5, 1, 1]]);
        self::assertStringContainsString('“dark” has 2 pixels; with 2 bands more than 2 are needed to know how they spread, better 20.', $text);
        self::assertStringContainsString('“dark” has one area: draw some elsewhere', $text);
        self::assertStringContainsString('“bright” has 17 pixels: few for 2 bands; its variance is reliable from 20 on.', $text);
        self::assertStringContainsString(
            'All areas of “a” are in one part of the scene',
            $says([['a', 0, 0, 5, 5], ['a', 6, 6, 5, 5], ['bright', 30, 30, 9, 9]]),
        );
        self::assertStringContainsString('“gone” has no pixels with a value', $says([['dark', 0, 0, 9, 9], ['gone', 200, 200, 5, 5]]));
        // two names for one thing
        $text = $says([['dark', 0, 0, 10, 10], ['same', 10, 0, 10, 10], ['bright', 30, 30, 10, 10]]);
        self::assertMatchesRegularExpression('/“dark” and “same” are hardly separable \(0\.\d\d of 2\); they are separated best by/', $text);
        self::assertStringContainsString(
            '25 pixels are in areas of two classes',
            $says([['dark', 0, 0, 10, 10], ['bright', 30, 30, 10, 10], ['bright', 5, 5, 5, 5]]),
        );
        self::assertMatchesRegularExpression(
            '/Area 2 of “dark” looks like “bright”/',
            $says([['dark', 0, 0, 12, 12], ['dark', 40, 20, 5, 5], ['bright', 32, 30, 10, 10]]),
        );
        $many = array_map(fn (int $k): array => ["class $k", 3 * $k, 0, 2, 3], range(0, 9));
        self::assertStringContainsString('There are 10 classes, and enough training pixels for 3', $says($many));
    }

    public function test_a_class_that_is_two_is_found_and_what_is_broad_is_not(): void
    {
        [$image] = $this->scene();
        $boxes = [['field', 2, 2, 10, 10], ['field', 4, 40, 10, 10], ['field', 40, 20, 8, 8], ['wood', 50, 50, 8, 8], ['wood', 6, 20, 10, 8]];
        $told = $this->told($image, $boxes);
        self::assertSame([3], $told['classes'][0]['heaps']['areas'] ?? null, 'the one on the bright side');
        self::assertEqualsWithDelta(64 / 264, $told['classes'][0]['heaps']['share'], 0.01);
        self::assertContains('split', array_column($told['said'], 'does'));
        $random = new Randomizer(new Mt19937(2));
        $even = $this->image('even.tif', 60, 60, ['red' => array_map(fn (): float => $random->getInt(0, 1000) / 1000, range(1, 3600))]);
        self::assertNull($this->told($even, [['a', 0, 0, 30, 30], ['b', 30, 30, 30, 30]])['classes'][0]['heaps'], 'even noise is one');
    }

    public function test_pixels_that_look_like_another_class_are_shown_where_they_are(): void
    {
        [$image] = $this->scene();
        $told = $this->told($image, [['dark', 20, 0, 14, 10], ['dark', 0, 40, 15, 15], ['bright', 40, 30, 10, 10]]);
        // the first area reaches four columns into what is bright
        self::assertSame([1, 'dark', 'bright'], [$told['strays'][0]['area'], $told['strays'][0]['class'], $told['strays'][0]['as']]);
        self::assertEqualsWithDelta(40 / 140, $told['strays'][0]['share'], 0.02);
        $grid = self::grid(60, 60);
        foreach ($told['strays'][0]['places'] as [$x, $y]) {
            [$col, $row] = $grid->toPixel($x, $y);
            self::assertEqualsWithDelta(0.5, $col - floor($col), 1e-6, 'the middle of a pixel');
            self::assertTrue($col > 30 && $col < 34 && $row < 10);
        }
    }

    public function test_how_the_whole_image_lies_in_two_bands(): void
    {
        [$image, $values] = $this->scene();
        $there = FeatureTable::of($this->call($image, [['dark', 0, 0, 9, 9]]), []);
        $found = TrainingDiagnostics::density($there, 0, 1);
        self::assertEqualsWithDelta(3600, array_sum($found['counts']), 40, 'all but what is very far out');
        // dark pixels lie in the left columns
        $left = array_sum(array_map(fn (int $k): int => $k % 48 < 24 ? $found['counts'][$k] : 0, range(0, 48 * 48 - 1)));
        self::assertEqualsWithDelta(count(array_filter($values[0], fn (float $v): bool => $v < 0.3)), $left, 40);
    }

    public function test_an_area_grows_over_what_is_alike_and_stops_at_what_is_not(): void
    {
        [$image] = $this->scene();
        $bands = [[new GeoTiffImage($image), 0], [new GeoTiffImage($image), 1]];
        ['window' => $window, 'order' => $order, 'levels' => $levels] = SeedGrowth::from($bands, 10, 20);
        self::assertSame(10 + 60 * 20, $order[0] + 60 * $window->row + $window->col);
        for ($k = 1; $k < count($levels); $k++) {
            self::assertGreaterThanOrEqual($levels[$k - 1], $levels[$k], 'an area of less likeness holds all of one of more');
        }
        self::assertSame(count($order), count(array_unique($order)));
        // at three and a half deviations the dark half, and nothing of the other
        $inside = array_filter($order, fn (int $k): bool => $levels[array_search($k, $order, true)] <= 3.5);
        self::assertEqualsWithDelta(1800, count($inside), 40);
        self::assertSame([], array_filter($inside, fn (int $pixel): bool => $pixel % 60 >= 30));
        // each joins beside one that is there
        $there = [$order[0] => true];
        foreach (array_slice($order, 1, 400) as $pixel) {
            self::assertTrue(isset($there[$pixel - 1]) || isset($there[$pixel + 1]) || isset($there[$pixel - 60]) || isset($there[$pixel + 60]));
            $there[$pixel] = true;
        }
        $this->problem(3, 'The seed is outside', fn () => SeedGrowth::from($bands, 60, 3));
        $holed = new GeoTiffImage($this->image('holed.tif', 3, 3, ['red' => [NAN, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0]]));
        $this->problem(3, 'The seed is on nodata', fn () => SeedGrowth::from([[$holed, 0]], 0, 0));
        self::assertCount(8, SeedGrowth::from([[$holed, 0]], 1, 1)['order'], 'where all are alike all join, but what has no value');
    }

    public function test_a_segment_is_taken_as_far_as_it_hangs_together(): void
    {
        $labels = array_map(fn (int $i): int => $i % 300 < 280 && intdiv($i, 300) < 200 ? 7 : ($i % 300 === 290 ? 7 : 2), range(0, 300 * 220 - 1));
        $labels[0] = 0;
        $image = new GeoTiffImage($this->raster('s.tif', RasterSpec::segments(self::grid(300, 220)), [$labels]));
        self::assertCount(280 * 200 - 1, SegmentAt::of($image, 40, 90)['pixels']);
        self::assertCount(220, SegmentAt::of($image, 290, 100)['pixels'], 'not the part of it that lies elsewhere');
        $this->problem(3, 'There is no segment at this place', fn () => SegmentAt::of($image, 0, 0));
        $this->problem(3, 'is outside the segments', fn () => SegmentAt::of($image, 300, 0));
    }

    public function test_segments_are_examples_by_a_point_or_by_half_of_their_ground(): void
    {
        $grid = self::grid(30, 20);
        $labels = array_map(fn (int $at): int => 1 + intdiv($at % 30, 10) + 3 * intdiv(intdiv($at, 30), 10), range(0, 599));
        $segments = new GeoTiffImage($this->raster('s.tif', RasterSpec::segments($grid), [$labels]));
        $point = fn (float $col, float $row): array => ['type' => 'Point', 'coordinates' => $grid->toMap($col, $row)];
        $box = fn (int $col, int $row, int $width): array => ['type' => 'Polygon', 'coordinates' => [array_map(
            fn (array $corner): array => $grid->toMap(...$corner),
            [[$col, $row], [$col + $width, $row], [$col + $width, $row + 10], [$col, $row + 10], [$col, $row]],
        )]];
        $areas = [
            ['water', $point(4.5, 4.5)], ['meadow', $point(14.5, 2.5)],
            // both lie in the third
            ['water', $point(22.5, 2.5)], ['meadow', $point(27.5, 7.5)],
            // half of the fourth, less of the fifth
            ['meadow', $box(0, 10, 5)], ['water', $box(10, 10, 4)],
        ];
        $features = array_map(fn (array $area): array => ['properties' => ['class' => $area[0]], 'geometry' => $area[1]], $areas);
        Vectors::write("$this->folder/areas.geojson", $features, 32632);
        $samples = Samples::ofSegments(
            Areas::read("$this->folder/areas.geojson", $grid, 'class'),
            $segments,
            range(1, 6),
            array_fill(0, 6, 100.0),
            [[1.0, 2.0, 3.0, 4.0, 5.0, 6.0]],
        );
        self::assertSame([1, 2, 4], $samples->places);
        self::assertSame(['water', 'meadow', 'meadow'], array_map(fn (int $class): string => $samples->names()[$class], $samples->answers));
        self::assertSame([1, 2, 5], $samples->areas);
        self::assertSame([[1.0, 2.0, 4.0]], $samples->columns);
        self::assertSame(100, $samples->left['between'], 'the segment that two classes claim');
    }

    public function test_legends_that_were_published_come_with_their_source(): void
    {
        $found = array_column(PublishedLegends::all(), null, 'id');
        self::assertStringContainsString('Anderson', $found['anderson-1976-level-1']['source']);
        self::assertCount(9, $found['anderson-1976-level-1']['classes']);
        self::assertSame('water', PublishedLegends::read('anderson-1976-level-1')->name(5));
        $this->problem(2, 'There is no published legend', fn () => PublishedLegends::read('../../schemas/key.schema'));
    }

    /**
     * 60 x 60 pixels: dark on the left half, bright on the right in red, the same noise in nir.
     *
     * @return array{string, list<list<float>>}
     */
    private function scene(): array
    {
        $random = new Randomizer(new Mt19937(5));
        $noise = fn (): float => ($random->getInt(0, 1000) + $random->getInt(0, 1000) + $random->getInt(0, 1000) - 1500) / 1000 * 0.02;
        $red = $nir = [];
        for ($i = 0; $i < 3600; $i++) {
            $red[] = ($i % 60 < 30 ? 0.1 : 0.5) + $noise();
            $nir[] = 0.3 + $noise();
        }

        return [$this->image('scene.tif', 60, 60, ['red' => $red, 'nir' => $nir]), [$red, $nir]];
    }

    /**
     * @param  list<array{string, int, int, int, int}>  $boxes  class, column, row, width, height
     * @param  array<string, mixed>  $settings
     * @return array<string, mixed>
     */
    private function told(string $image, array $boxes, array $settings = [], ?Grid $grid = null): array
    {
        $call = $this->call($image, $boxes, $settings, $grid);
        $there = FeatureTable::of($call, $call->texts('bands'));
        [$areas, $samples] = Teach::samples($call, $there);

        return (new TrainingDiagnostics($areas, $samples, $there))->figures();
    }

    /**
     * @param  list<array{string, int, int, int, int}>  $boxes
     * @param  array<string, mixed>  $settings
     */
    private function call(string $image, array $boxes, array $settings = [], ?Grid $grid = null): Call
    {
        $grid ??= self::grid(60, 60);
        $features = array_map(function (array $box) use ($grid): array {
            [$class, $col, $row, $width, $height] = $box;
            $corners = [[$col, $row], [$col + $width, $row], [$col + $width, $row + $height], [$col, $row + $height], [$col, $row]];
            $ring = array_map(fn (array $corner): array => $grid->toMap(...$corner), $corners);

            return ['type' => 'Feature', 'properties' => ['class' => $class], 'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]]];
        }, $boxes);
        file_put_contents("$this->folder/areas.geojson", json_encode([
            'type' => 'FeatureCollection',
            'crs' => ['type' => 'name', 'properties' => ['name' => "urn:ogc:def:crs:EPSG::$grid->epsg"]],
            'features' => $features,
        ]));

        return CallOpener::call(Registry::get('classify.teach'), ['images' => $image, 'areas' => "$this->folder/areas.geojson"], $settings,
            ['classes' => 'none.tif'], new Context(1, $this->folder));
    }
}
