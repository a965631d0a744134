<?php

namespace Chorometra\Core\Tests\Gather;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\GridMapping;
use Chorometra\Core\Geo\TargetGrid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use PHPUnit\Framework\Attributes\DataProvider;

/** Against numpy and scipy (fixtures/warp.json), PROJ (proj_grid_codes.json), and what the definitions promise. */
final class ReprojectTest extends TestCase
{
    /** @return iterable<string, array{string}> */
    public static function between(): iterable
    {
        yield 'nearest' => ['nearest'];
        yield 'bilinear' => ['bilinear'];
        yield 'cubic' => ['cubic'];
    }

    #[DataProvider('between')]
    public function test_values_between_pixels_on_a_turned_grid(string $how): void
    {
        $case = self::fixture('warp.json');
        $image = $this->image('a.tif', 31, 23, ['red' => array_merge(...$case['image'])]);
        $m = $case['map'];
        // the fixture's map goes from new pixels to old ones: laid over the image's own transform it is the new grid
        $grid = new Grid(
            $case['size'][0],
            $case['size'][1],
            [431_000 + 20 * $m['c0'], 20 * $m['cx'], 20 * $m['cy'], 6_072_000 - 20 * $m['r0'], -20 * $m['rx'], -20 * $m['ry']],
            32632,
        );
        $expected = array_map(fn (?float $value): float => $value ?? NAN, array_merge(...$case[$how]));
        $warped = new Warped(new GeoTiffImage($image), $grid, Resampling::from($how));
        $whole = $warped->values(0, new Window(0, 0, ...$case['size']));
        // the image holds 32-bit values
        self::assertClose($expected, $whole, 5e-5, $how);
        // windows see the same as the whole
        $part = $warped->values(0, new Window(7, 9, 20, 3));
        for ($y = 0; $y < 3; $y++) {
            self::assertSame(array_slice($whole, (9 + $y) * 40 + 7, 20), array_slice($part, $y * 20, 20));
        }
    }

    public function test_cubic_convolution_gives_parabolas_back_exactly(): void
    {
        // Keys 1981: what is of second order is reproduced
        $values = [];
        for ($y = 0; $y < 12; $y++) {
            for ($x = 0; $x < 12; $x++) {
                $values[] = ($x + 0.5) ** 2 - 3 * ($y + 0.5) ** 2 + 2 * ($x + 0.5) * ($y + 0.5);
            }
        }
        $path = $this->raster('p.tif', new RasterSpec(self::grid(12, 12), [new Band], SampleType::Float64), [$values]);
        $grid = new Grid(20, 20, [431_000 + 60.0, 7.0, 0.0, 6_072_000 - 60.0, 0.0, -7.0], 32632);
        foreach ((new Warped(new GeoTiffImage($path), $grid, Resampling::Cubic))->values(0, new Window(0, 0, 20, 20)) as $i => $value) {
            [$x, $y] = [3 + 0.35 * ($i % 20 + 0.5), 3 + 0.35 * (intdiv($i, 20) + 0.5)];
            self::assertEqualsWithDelta($x ** 2 - 3 * $y ** 2 + 2 * $x * $y, $value, 1e-10);
        }
    }

    public function test_averages_and_commonest_codes_by_area(): void
    {
        $case = self::fixture('warp.json');
        $holes = $this->image('h.tif', 31, 23, ['red' => array_map(fn (?float $value): float => $value ?? NAN, array_merge(...$case['holes']))]);
        $codes = $this->classes('c.tif', 31, 23, array_merge(...$case['codes']), ['a', 'b', 'c']);
        $grid = new Grid(12, 9, [431_000.0, 50.0, 0.0, 6_072_000.0, 0.0, -50.0], 32632);
        self::assertClose(
            array_merge(...$case['average']),
            (new Warped(new GeoTiffImage($holes), $grid, Resampling::Average))->values(0, new Window(0, 0, 12, 9)),
            2e-5,
        );
        self::assertEquals(array_merge(...$case['mode']), (new Warped(new GeoTiffImage($codes), $grid, Resampling::Mode))->values(0, new Window(0, 0, 12, 9)));
    }

    public function test_nodata_stays_where_it_is_and_does_not_spread(): void
    {
        $values = array_fill(0, 100, 5.0);
        $values[44] = NAN;
        $path = $this->image('n.tif', 10, 10, ['red' => $values]);
        foreach (['bilinear', 'cubic'] as $how) {
            // moved by a quarter of a pixel
            $grid = new Grid(10, 10, [431_005.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632);
            $found = (new Warped(new GeoTiffImage($path), $grid, Resampling::from($how)))->values(0, new Window(0, 0, 10, 10));
            self::assertNan($found[44], $how);
            self::assertSame(1, count(array_filter($found, is_nan(...))), $how);
            self::assertEqualsWithDelta(5.0, $found[43], 1e-12, $how);
        }
    }

    public function test_positions_between_two_systems_against_proj(): void
    {
        // UTM 32 north to the European equal-area grid and back over Orvane Sound, by PROJ's own definitions of both
        $source = new Grid(4000, 4000, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632);
        $grid = TargetGrid::grid($source, 3035, null, 'scene');
        self::assertSame(20.0, $grid->transform[1], 'stretched by parts of a per cent only');
        self::assertEqualsWithDelta(0.0, fmod($grid->transform[0], 20.0), 1e-9);
        $mapping = new GridMapping($grid, $source, 'scene');
        $cols = $rows = array_fill(0, $grid->width, 0.0);
        $lines = [];
        foreach ([0, 1777, $grid->height - 1] as $row) {
            $mapping->row($row, 0, $grid->width, $cols, $rows, 0);
            foreach ([0, 1, 300, 2048, $grid->width - 1] as $col) {
                [$x, $y] = $grid->toMap($col + 0.5, $row + 0.5);
                $lines[] = [$x, $y, $cols[$col], $rows[$col]];
                self::assertClose($mapping->at($col + 0.5, $row + 0.5), [$cols[$col], $rows[$col]], GridMapping::TOLERANCE);
            }
            // asked for in parts, the same to the last digit
            $some = $others = array_fill(0, 100, 0.0);
            $mapping->row($row, 1234, 100, $some, $others, 0);
            self::assertSame([array_slice($cols, 1234, 100), array_slice($rows, 1234, 100)], [$some, $others]);
        }
        foreach ($lines as [$x, $y, $c, $r]) {
            // there by way of longitude and latitude, both checked against PROJ
            $place = Crs::toGeographic(3035, $x, $y);
            self::assertNotNull($place);
            self::assertClose($source->toPixel(...Crs::fromGeographic(32632, ...$place) ?? [NAN, NAN]), [$c, $r], GridMapping::TOLERANCE);
        }
    }

    public function test_there_and_back_is_what_it_was(): void
    {
        $values = [];
        for ($i = 0; $i < 120 * 90; $i++) {
            $values[] = 100 + 40 * sin($i % 120 / 11) * cos(intdiv($i, 120) / 9);
        }
        $path = $this->image('there.tif', 120, 90, ['red' => $values, 'nir' => array_reverse($values)]);
        $figures = $this->compute('gather.reproject', ['image' => $path], ['crs' => 3857, 'resampling' => 'cubic'], ['result' => "$this->folder/web.tif"]);
        self::assertSame('WGS 84 / Pseudo-Mercator', $figures['crs']);
        $spec = (new GeoTiffImage("$this->folder/web.tif"))->spec();
        self::assertSame([3857, 'red', 'nir'], [$spec->grid->epsg, $spec->bands[0]->role, $spec->bands[1]->role]);
        $this->compute(
            'gather.reproject',
            ['image' => "$this->folder/web.tif", 'align-to' => $path],
            ['resampling' => 'cubic'],
            ['result' => "$this->folder/back.tif"],
        );
        self::assertTrue((new GeoTiffImage("$this->folder/back.tif"))->spec()->grid->matches((new GeoTiffImage($path))->spec()->grid));
        $back = self::pixels("$this->folder/back.tif", 0);
        for ($i = 0; $i < 120 * 90; $i++) {
            if (! is_nan($back[$i]) && $i % 120 > 3 && $i % 120 < 116 && $i > 480 && $i < 120 * 86) {
                self::assertEqualsWithDelta($values[$i], $back[$i], 0.25, "pixel $i");
            }
        }
        self::assertLessThan(0.06, count(array_filter($back, is_nan(...))) / count($back));
    }

    public function test_the_same_to_the_byte_however_many_work_and_only_codes_for_codes(): void
    {
        $map = $this->classes('map.tif', 300, 200, array_map(fn (int $i): int => 1 + intdiv($i, 37) % 3, range(0, 300 * 200 - 1)), ['a', 'b', 'c']);
        $hashes = [];
        foreach ([1, 2, 5] as $workers) {
            $this->compute(
                'gather.reproject',
                ['image' => $map],
                ['crs' => 32631, 'resampling' => 'mode'],
                ['result' => "$this->folder/m.tif"],
                new Context($workers, $this->folder),
            );
            $hashes[] = md5_file("$this->folder/m.tif");
        }
        self::assertCount(1, array_unique($hashes));
        $spec = (new GeoTiffImage("$this->folder/m.tif"))->spec();
        self::assertSame([1 => 'a', 2 => 'b', 3 => 'c'], array_map(fn (array $class): string => $class['name'], $spec->legend->classes ?? []));
        self::assertEqualsCanonicalizing([1, 2, 3, 255], array_keys(array_count_values(self::pixels("$this->folder/m.tif", 0))));
        $this->problem(
            2,
            'map.tif contains class codes, which can\'t be interpolated: use nearest or mode.',
            fn () => $this->compute('gather.reproject', ['image' => $map], ['crs' => 32631, 'resampling' => 'cubic'], ['result' => "$this->folder/m.tif"]),
        );
    }

    public function test_what_can_not_be_done_is_told_at_once(): void
    {
        $image = $this->image('i.tif', 5, 5, ['red' => range(1, 25)]);
        $out = ['result' => "$this->folder/o.tif"];
        $run = fn (array $in, array $set) => fn () => $this->compute('gather.reproject', $in, $set, $out);
        $this->problem(2, 'EPSG:27200 is not known here; UTM on WGS 84 is EPSG:326zz', $run(['image' => $image], ['crs' => 27200]));
        $this->problem(2, 'Give a target', $run(['image' => $image], []));
        $this->problem(2, 'not both', $run(['image' => $image, 'align-to' => $image], ['crs' => 32631]));
        $this->problem(2, 'choose a larger size', $run(['image' => $image], ['pixel-size' => 1e-5]));
        $far = $this->raster('far.tif', new RasterSpec(new Grid(5, 5, [900_000.0, 20.0, 0.0, 1_000_000.0, 0.0, -20.0], 32632), [new Band]), [range(1, 25)]);
        $this->problem(3, 'far.tif and i.tif have no place in common.', $run(['image' => $far, 'align-to' => $image], []));
        $bare = $this->raster('bare.tif', new RasterSpec(new Grid(5, 5), [new Band]), [range(1, 25)]);
        $this->problem(3, 'bare.tif has no CRS', $run(['image' => $bare], ['crs' => 32632]));
        self::assertFileDoesNotExist("$this->folder/o.tif");
    }
}
