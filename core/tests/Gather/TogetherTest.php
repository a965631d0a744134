<?php

namespace Chorometra\Core\Tests\Gather;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Gather\Join\MatchCurve;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Stacks, parts and mosaics. */
final class TogetherTest extends TestCase
{
    /** @param  \Closure(int, int): float  $value  of columns and rows counted from the common origin */
    private function piece(string $name, int $col, int $row, int $width, int $height, \Closure $value, ?RasterSpec $like = null): string
    {
        $values = [];
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $values[] = $value($col + $x, $row + $y);
            }
        }
        $grid = new Grid($width, $height, [431_000.0 + 20 * $col, 20.0, 0.0, 6_072_000.0 - 20 * $row, 0.0, -20.0], 32632);

        return $this->raster($name, new RasterSpec($grid, [new Band('red', 'red')], $like->type ?? SampleType::Float32, $like->nodata ?? NAN), [$values]);
    }

    public function test_pixels_in_polygons_with_holes(): void
    {
        $case = self::fixture('vector/mask.json');
        // one unit of the map is one pixel, north at the top
        $flip = fn (array $ring): array => array_map(fn (array $place): array => [$place[0], -$place[1]], $ring);
        $mask = new PolygonMask([[$flip($case['exterior']), $flip($case['hole'])]], new Grid(20, 16, [0.0, 1.0, 0.0, 0.0, 0.0, -1.0], 32632));
        $whole = $mask->cut(array_fill(0, 320, 1), new Window(0, 0, 20, 16), 0);
        self::assertSame(
            $case['mask'],
            array_map(fn (array $row): string => implode('', array_map(fn (int $in): string => $in ? '#' : '.', $row)), array_chunk($whole, 20)),
        );
        // any window sees the same
        $part = $mask->cut(array_fill(0, 35, 1), new Window(5, 6, 7, 5), 0);
        for ($y = 0; $y < 5; $y++) {
            self::assertSame(array_slice($whole, (6 + $y) * 20 + 5, 7), array_slice($part, $y * 7, 7));
        }
        self::assertEquals(new Window(1, 1, 17, 14), $mask->bounds);
    }

    public function test_a_part_by_box_and_by_polygons(): void
    {
        $image = $this->image('i.tif', 40, 30, ['red' => range(0, 1199), 'nir' => range(1, 1200)]);
        $figures = $this->compute('gather.subset', ['image' => $image], ['bounds' => '431100,6071800,431300,6071900'], ['result' => "$this->folder/b.tif"]);
        self::assertSame([[5, 15], [5, 10]], [$figures['columns'], $figures['rows']]);
        $spec = (new GeoTiffImage("$this->folder/b.tif"))->spec();
        self::assertSame(
            [10, 5, 431100.0, 6071900.0, 'nir'],
            [$spec->grid->width, $spec->grid->height, $spec->grid->transform[0], $spec->grid->transform[3], $spec->bands[1]->role],
        );
        self::assertEquals(range(205, 214), array_slice(self::pixels("$this->folder/b.tif", 0), 0, 10));

        $area = __DIR__.'/../fixtures/vector/areas.shp';
        $this->compute('gather.subset', ['image' => $image, 'area' => $area], [], ['result' => "$this->folder/p.tif"]);
        $spec = (new GeoTiffImage("$this->folder/p.tif"))->spec();
        self::assertSame([35, 25], [$spec->grid->width, $spec->grid->height]);
        $found = self::pixels("$this->folder/p.tif", 0);
        // 20 x 20 pixels without the hole of 5 x 10
        self::assertSame(
            400 - 50,
            count(array_filter($found, fn (float $value, int $at): bool => ! is_nan($value) && $at % 35 < 20 && intdiv($at, 35) < 20, ARRAY_FILTER_USE_BOTH)),
        );
        self::assertSame((float) (5 * 40 + 5), $found[0]);
        self::assertNan($found[35 * 6 + 6]);
        $this->compute('gather.subset', ['image' => $image, 'area' => $area], ['outside' => 'crop'], ['result' => "$this->folder/c.tif"]);
        self::assertSame(0, count(array_filter(self::pixels("$this->folder/c.tif", 0), is_nan(...))));
        // codes keep their legend, and get their own nodata
        $map = $this->classes('m.tif', 40, 30, array_fill(0, 1200, 2), ['a', 'b']);
        $this->compute('gather.subset', ['image' => $map, 'area' => $area], [], ['result' => "$this->folder/d.tif"]);
        self::assertEqualsCanonicalizing([2, 255], array_keys(array_count_values(self::pixels("$this->folder/d.tif", 0))));
        self::assertSame('b', (new GeoTiffImage("$this->folder/d.tif"))->spec()->legend?->name(2));
    }

    public function test_parts_that_are_none(): void
    {
        $image = $this->image('i.tif', 4, 4, ['red' => range(0, 15)]);
        $out = ['result' => "$this->folder/o.tif"];
        $this->problem(2, 'Give what to cut to', fn () => $this->compute('gather.subset', ['image' => $image], [], $out));
        $this->problem(2, 'west below east', fn () => $this->compute('gather.subset', ['image' => $image], ['bounds' => '5,0,1,9'], $out));
        $this->problem(
            3,
            'The box is outside i.tif, which is 4 x 4 pixels of 20 m',
            fn () => $this->compute('gather.subset', ['image' => $image], ['bounds' => '1,1,2,2'], $out),
        );
        Vectors::write("$this->folder/far.geojson", [
            ['type' => 'Feature', 'properties' => [], 'geometry' => ['type' => 'Polygon', 'coordinates' => [[[1.0, 1.0], [2.0, 1.0], [2.0, 2.0], [1.0, 1.0]]]]],
        ]);
        $this->problem(
            3,
            'The polygons are outside i.tif',
            fn () => $this->compute('gather.subset', ['image' => $image, 'area' => "$this->folder/far.geojson"], [], $out),
        );
        Vectors::write("$this->folder/point.geojson", [
            ['type' => 'Feature', 'properties' => [], 'geometry' => ['type' => 'Point', 'coordinates' => [8.0, 54.0]]],
        ]);
        $this->problem(
            3,
            'point.geojson contains no polygons.',
            fn () => $this->compute('gather.subset', ['image' => $image, 'area' => "$this->folder/point.geojson"], [], $out),
        );
    }

    public function test_a_stack_keeps_roles_and_takes_the_samples_that_hold_all(): void
    {
        $a = $this->image('a.tif', 3, 2, ['red' => [1, 2, 3, 4, 5, 6], 'nir' => [0.5, 1, 1.5, NAN, 2, 2.5]]);
        $counts = fn (string $name): string => $this->raster($name, new RasterSpec(self::grid(3, 2), [new Band('pan', 'pan')], SampleType::UInt16, 0.0), [
            [9, 8, 7, 0, 5, 4],
        ]);
        $b = $counts('b.tif');
        $figures = $this->compute('gather.stack', ['images:1' => $a, 'images:2' => $b], [], ['result' => "$this->folder/s.tif"]);
        self::assertSame(['a.tif', 'b.tif'], array_column($figures['from'], 'image'));
        $spec = (new GeoTiffImage("$this->folder/s.tif"))->spec();
        self::assertSame([SampleType::Float32, ['red', 'nir', 'pan']], [$spec->type, array_map(fn (Band $band): ?string => $band->role, $spec->bands)]);
        self::assertClose([9, 8, 7, NAN, 5, 4], self::pixels("$this->folder/s.tif", 2), 0.0);
        $this->compute('gather.stack', ['images:1' => $b, 'images:2' => $counts('c.tif')], [], ['result' => "$this->folder/t.tif"]);
        self::assertSame(SampleType::UInt16, (new GeoTiffImage("$this->folder/t.tif"))->spec()->type);
        // ten and more stand in the order of their numbers
        $many = [];
        for ($i = 12; $i >= 1; $i--) {
            $many["images:$i"] = $this->image("m$i.tif", 3, 2, ['red' => array_fill(0, 6, $i)]);
        }
        $this->compute('gather.stack', $many, [], ['result' => "$this->folder/u.tif"]);
        self::assertSame([1.0, 10.0, 12.0], array_map(fn (int $band): float => self::pixels("$this->folder/u.tif", $band)[0], [0, 9, 11]));
        $this->problem(2, 'two images or more', fn () => $this->compute('gather.stack', ['images:1' => $a], [], ['result' => "$this->folder/v.tif"]));
        $this->problem(
            3,
            'are not on one grid',
            fn () => $this->compute(
                'gather.stack',
                ['images:1' => $a, 'images:2' => $this->image('w.tif', 2, 2, ['red' => [1, 2, 3, 4]])],
                [],
                ['result' => "$this->folder/v.tif"],
            ),
        );
    }

    public function test_a_mosaic_in_order(): void
    {
        $a = $this->piece('a.tif', 0, 0, 30, 20, fn (int $x, int $y): float => $x < 2 ? NAN : 1000 + $x);
        $b = $this->piece('b.tif', 20, 10, 30, 20, fn (int $x, int $y): float => 2000 + $x);
        $figures = $this->compute('gather.mosaic', ['images:1' => $a, 'images:2' => $b], [], ['result' => "$this->folder/m.tif"]);
        self::assertSame(['image' => 'b.tif', 'column' => 20, 'row' => 10, 'columns' => 30, 'rows' => 20], $figures['images'][1]);
        $grid = (new GeoTiffImage("$this->folder/m.tif"))->spec()->grid;
        self::assertSame([50, 30, 431_000.0, 6_072_000.0], [$grid->width, $grid->height, $grid->transform[0], $grid->transform[3]]);
        $at = fn (string $file, int $x, int $y): float => (float) self::pixels("$this->folder/$file", 0)[$y * 50 + $x];
        self::assertSame([1025.0, 1029.0, 2035.0, 2025.0], [$at('m.tif', 25, 5), $at('m.tif', 29, 15), $at('m.tif', 35, 15), $at('m.tif', 25, 25)]);
        self::assertNan($at('m.tif', 1, 1));
        self::assertNan($at('m.tif', 45, 2));
        $this->compute('gather.mosaic', ['images:1' => $a, 'images:2' => $b], ['overlap' => 'last'], ['result' => "$this->folder/l.tif"]);
        self::assertSame([1025.0, 2029.0], [$at('l.tif', 25, 5), $at('l.tif', 29, 15)]);
        // the second given first: its grid is stretched to the north-west
        $this->compute('gather.mosaic', ['images:1' => $b, 'images:2' => $a], [], ['result' => "$this->folder/r.tif"]);
        self::assertSame(
            array_map(fn (float $value): string => (string) $value, self::pixels("$this->folder/l.tif", 0)),
            array_map(fn (float $value): string => (string) $value, self::pixels("$this->folder/r.tif", 0)),
        );
    }

    public function test_images_fade_into_each_other(): void
    {
        $a = $this->piece('a.tif', 0, 0, 200, 60, fn (): float => 100.0);
        $b = $this->piece('b.tif', 120, 0, 200, 60, fn (): float => 200.0);
        $this->compute('gather.mosaic', ['images:1' => $a, 'images:2' => $b], ['overlap' => 'blend', 'fade' => 40], ['result' => "$this->folder/m.tif"]);
        $row = array_slice(self::pixels("$this->folder/m.tif", 0), 30 * 320, 320);
        self::assertSame([100.0, 200.0], [$row[60], $row[260]]);
        // from the edge of one to the edge of the other it only rises, by small steps, and is even in the middle
        for ($x = 121; $x < 200; $x++) {
            self::assertGreaterThanOrEqual($row[$x - 1] - 1e-3, $row[$x]);
            self::assertLessThan(8.0, $row[$x] - $row[$x - 1], "column $x");
        }
        self::assertEqualsWithDelta(150.0, 0.5 * ($row[159] + $row[160]), 1.5);
        self::assertLessThan(106.0, $row[121]);
    }

    public function test_an_image_is_made_like_those_before_it(): void
    {
        $ground = fn (int $x, int $y): float => 50 + 20 * sin($x / 7) + 10 * cos($y / 5) + ($x * 7919 + $y * 104729) % 101 / 20;
        $a = $this->piece('a.tif', 0, 0, 150, 100, $ground);
        // another exposure: no straight line
        $b = $this->piece('b.tif', 60, 20, 150, 100, fn (int $x, int $y): float => 12 + 0.02 * $ground($x, $y) ** 2);
        $figures = $this->compute(
            'gather.mosaic',
            ['images:1' => $a, 'images:2' => $b],
            ['match' => 'histogram', 'overlap' => 'last'],
            ['result' => "$this->folder/m.tif"],
        );
        self::assertGreaterThan(7000, $figures['matched'][0]['pixels']);
        $found = self::pixels("$this->folder/m.tif", 0);
        $worst = 0.0;
        for ($y = 25; $y < 115; $y++) {
            for ($x = 65; $x < 205; $x++) {
                $worst = max($worst, abs($found[$y * 210 + $x] - $ground($x, $y)));
            }
        }
        self::assertLessThan(0.6, $worst, 'of values from 20 to 85');
        $far = $this->piece('far.tif', 500, 0, 20, 20, $ground);
        $this->problem(
            3,
            'far.tif overlaps those before it in fewer than 100 pixels',
            fn () => $this->compute('gather.mosaic', ['images:1' => $a, 'images:2' => $far], ['match' => 'histogram'], ['result' => "$this->folder/n.tif"]),
        );
        self::assertFileDoesNotExist("$this->folder/n.tif");
    }

    public function test_a_curve_between_histograms(): void
    {
        $own = range(0, 999);
        $curve = MatchCurve::between(array_map(floatval(...), $own), array_map(fn (int $value): float => 3.0 * $value + 10, $own));
        self::assertClose([10.0, 310.0, 1510.0, 3007.0, 3008.0, -20.0, NAN], $curve->apply([0.0, 100.0, 500.0, 999.0, 1000.0, -30.0, NAN], 7), 0.5);
        // one value only
        self::assertClose([7.0, 8.0], MatchCurve::between([1.0, 1.0, 1.0], [7.0, 7.0, 7.0])->apply([1.0, 2.0], 2), 1e-9);
    }

    public function test_mosaics_across_grids_and_the_same_to_the_byte(): void
    {
        $a = $this->piece('a.tif', 0, 0, 90, 70, fn (int $x, int $y): float => $x + $y);
        $b = $this->piece('b.tif', 60, 0, 90, 70, fn (int $x, int $y): float => $x + $y);
        $this->compute('gather.reproject', ['image' => $b], ['crs' => 3035, 'resampling' => 'cubic'], ['result' => "$this->folder/b2.tif"]);
        $hashes = [];
        foreach ([1, 3] as $workers) {
            $this->compute(
                'gather.mosaic',
                ['images:1' => $a, 'images:2' => "$this->folder/b2.tif"],
                ['overlap' => 'blend', 'fade' => 10, 'resampling' => 'cubic', 'match' => 'histogram'],
                ['result' => "$this->folder/m.tif"],
                new Context($workers, $this->folder),
            );
            $hashes[] = md5_file("$this->folder/m.tif");
        }
        self::assertSame($hashes[0], $hashes[1]);
        $grid = (new GeoTiffImage("$this->folder/m.tif"))->spec()->grid;
        $found = self::pixels("$this->folder/m.tif", 0);
        [$col, $row] = $grid->toPixel(431_000 + 20 * 130.5, 6_072_000 - 20 * 30.5);
        self::assertEqualsWithDelta(160.0, $found[(int) $row * $grid->width + (int) $col], 0.6);
    }

    public function test_mosaics_that_can_not_be(): void
    {
        $a = $this->image('a.tif', 3, 1, ['red' => [1, 2, 3]]);
        $two = $this->image('two.tif', 3, 1, ['red' => [1, 2, 3], 'nir' => [1, 2, 3]]);
        $nir = $this->image('nir.tif', 3, 1, ['nir' => [1, 2, 3]]);
        $map = $this->classes('map.tif', 3, 1, [1, 2, 1], ['x', 'y']);
        $run = fn (string $one, string $other, array $set = []) => fn () => $this->compute('gather.mosaic', ['images:1' => $one, 'images:2' => $other], $set, [
            'result' => "$this->folder/m.tif",
        ]);
        $this->problem(3, 'a.tif has 1 bands and two.tif has 2', $run($a, $two));
        $this->problem(3, 'Band 1 is red in a.tif and nir in nir.tif', $run($a, $nir));
        $this->problem(3, 'differ in content', $run($a, $map));
        $this->problem(2, 'contains class codes, which can\'t be blended or matched', $run($map, $map, ['overlap' => 'blend']));
    }
}
