<?php

namespace Chorometra\Core\Tests\Segment;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\SideLength;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Regions\Runs\Absorb;
use Chorometra\Core\Regions\Runs\RunBlocks;
use Chorometra\Core\Regions\Runs\RunMap;
use Chorometra\Core\Segment\Slice;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

final class SliceTest extends TestCase
{
    public function test_labels_are_those_of_scipy(): void
    {
        $data = self::fixture('e_labels.json');
        foreach (['four' => 4, 'eight' => 8] as $name => $neighbours) {
            $map = new RunMap(24);
            $map->append(array_map(intval(...), str_split(implode('', $data['mask']))), 20);
            [$parts, $count] = $map->parts($neighbours);
            self::assertSame($data[$name]['count'], $count);
            self::assertSame(array_merge(...$data[$name]['labels']), $map->paint($parts, 0, 20));
            // handed over in two pieces, and painted as bytes, it is the same
            $other = new RunMap(24);
            foreach ([0, 12] as $from) {
                $piece = new RunMap(24);
                $piece->append(array_map(intval(...), str_split(implode('', array_slice($data['mask'], $from, $from === 0 ? 12 : 8)))), $from === 0 ? 12 : 8);
                $other->appendBytes($piece->toBytes());
            }
            self::assertEquals($map, $other);
            self::assertSame(Codec::encodeCodes($map->paint($parts, 3, 9), SampleType::UInt32), $map->paintBytes($parts, SampleType::UInt32, 3, 9));
        }
    }

    public function test_the_value_at_the_limit_goes_to_the_upper_slice(): void
    {
        $slices = function (array $values, array $limits, int $width): array {
            [$map, $minimum, $maximum] = Slice::runs($values, $width, intdiv(count($values), $width), $limits);

            return [$map->paint($map->codes, 0, $map->rows()), $minimum, $maximum];
        };
        self::assertSame([[1, 2, 2, 0], 0.1999, 0.3], $slices([0.1999, 0.2, 0.3, NAN], [0.2], 4));
        self::assertSame([[1, 2, 3, 3, 0, 1], -1.0, 9.0], $slices([-1.0, 0.0, 0.2, 9.0, NAN, -0.5], [0.0, 0.2], 3));
        // all on one side, and nothing at all
        self::assertSame([[2, 2], 0.3, 0.7], $slices([0.7, 0.3], [0.2], 2));
        self::assertSame([[1, 1], 0.3, 0.7], $slices([0.7, 0.3], [0.8], 1));
        self::assertSame([[0, 0], INF, -INF], $slices([NAN, NAN], [0.8], 1));
    }

    public function test_the_connected_parts_of_a_class_map_become_segments(): void
    {
        $codes = [1, 1, 2, 2, 255, 0, 2, 2, 2, 0, 1, 1, 1, 2, 2];
        $legend = new Legend([1 => ['name' => 'land', 'colour' => '#448844'], 2 => ['name' => 'sea', 'colour' => '#4444aa']]);
        $map = $this->raster('map.tif', RasterSpec::classes(self::grid(5, 3), $legend), [$codes]);
        $outputs = ['segments' => "$this->folder/s.tif", 'classes' => "$this->folder/c.tif"];
        $figures = $this->compute('segment.slice', ['classes' => $map], [], $outputs);
        self::assertSame(3, $figures['segments']);
        self::assertSame([1, 1, 2, 2, 0, 0, 2, 2, 2, 0, 3, 3, 3, 2, 2], array_map(fn (float $one): int => (int) $one, self::pixels($outputs['segments'])));
        // small ones join the neighbour with the longest edge, in the map too
        $this->compute('segment.slice', ['classes' => $map], ['minimum' => 3], $outputs);
        self::assertSame([1, 1, 1, 1, 0, 0, 1, 1, 1, 0, 2, 2, 2, 1, 1], array_map(fn (float $one): int => (int) $one, self::pixels($outputs['segments'])));
        $both = ['classes' => $map, 'image' => $this->image('v.tif', 5, 3, ['red' => array_fill(0, 15, 1.0)])];
        self::assertSame('classes', $this->problem(2, 'not both', fn (): array => $this->compute('segment.slice', $both, ['limits' => '1'], $outputs))->about);
        self::assertSame('image', $this->problem(2, 'is missing', fn (): array => $this->compute('segment.slice', [], [], $outputs))->about);
        $image = ['image' => $both['image']];
        self::assertSame('limits', $this->problem(2, 'is missing', fn (): array => $this->compute('segment.slice', $image, [], $outputs))->about);
    }

    public function test_polygons_become_segments(): void
    {
        // two parcels that overlap in a column, one apart from the grid, one too small for a pixel
        $square = fn (float $left, float $top, float $right, float $bottom): array => ['type' => 'Polygon', 'coordinates' => [array_map(
            fn (array $place): array => Crs::ofGrid(self::grid(6, 4))?->inverse(...$place) ?? [],
            array_map(
                fn (array $place): array => self::grid(6, 4)->toMap(...$place),
                [[$left, $top], [$right, $top], [$right, $bottom], [$left, $bottom], [$left, $top]],
            ),
        )]];
        $features = array_map(fn (array $geometry): array => ['type' => 'Feature', 'properties' => null, 'geometry' => $geometry], [
            $square(0.0, 0.0, 3.0, 2.0), $square(2.0, 1.0, 5.0, 3.0), $square(20.0, 0.0, 22.0, 2.0), $square(5.1, 3.1, 5.3, 3.3),
        ]);
        file_put_contents("$this->folder/p.geojson", json_encode(['type' => 'FeatureCollection', 'features' => $features]));
        $inputs = ['image' => $this->image('v.tif', 6, 4, ['red' => array_fill(0, 24, 1.0)]), 'polygons' => "$this->folder/p.geojson"];
        $figures = $this->compute('segment.polygons', $inputs, [], ['segments' => "$this->folder/s.tif"]);
        self::assertSame([2, 4, 2], [$figures['segments'], $figures['polygons'], $figures['empty']]);
        self::assertSame(
            [1, 1, 1, 0, 0, 0, 1, 1, 1, 2, 2, 0, 0, 0, 2, 2, 2, 0, 0, 0, 0, 0, 0, 0],
            array_map(fn (float $one): int => (int) $one, self::pixels("$this->folder/s.tif")),
        );
    }

    public function test_segments_classes_names_and_figures(): void
    {
        $values = [
            0.1, 0.1, 0.5, NAN,
            0.1, 0.9, 0.5, 0.5,
            0.7, 0.1, 0.1, 0.5,
        ];
        $image = $this->image('v.tif', 4, 3, ['red' => $values]);
        $figures = $this->compute(
            'segment.slice',
            ['image' => $image],
            ['limits' => '0.4', 'names' => '-,bright', 'colours' => '#112233,#445566'],
            ['segments' => "$this->folder/s.tif", 'classes' => "$this->folder/c.tif"],
        );
        self::assertSame([1, 1, 2, 255, 1, 2, 2, 2, 2, 1, 1, 2], self::pixels("$this->folder/c.tif"));
        self::assertSame([1, 1, 2, 0, 1, 2, 2, 2, 3, 4, 4, 2], self::pixels("$this->folder/s.tif"));
        self::assertSame(4, $figures['segments']);
        self::assertSame(['below 0.4', 'bright'], array_column($figures['classes']['classes'], 'class'));
        self::assertSame([5, 6], array_column($figures['classes']['classes'], 'pixels'));
        self::assertEqualsWithDelta([5 * 0.04, 6 * 0.04], array_column($figures['classes']['classes'], 'hectares'), 1e-12);
        // corners touch with eight neighbours
        $this->compute('segment.slice', ['image' => $image], ['limits' => '0.4', 'neighbours' => '8'], ['segments' => "$this->folder/s8.tif"]);
        self::assertSame([1, 1, 2, 0, 1, 2, 2, 2, 2, 1, 1, 2], self::pixels("$this->folder/s8.tif"));
    }

    public function test_small_ones_join_the_neighbour_with_the_longest_shared_edge(): void
    {
        // the 9 shares two edges with 1 and two with 2: the larger of the two takes it
        $codes = [
            1, 1, 1, 2, 2,
            1, 1, 3, 2, 2,
            1, 1, 1, 1, 1,
        ];
        [$joined, $absorbed, $parts] = $this->absorbed($codes, 5, 2, 4, 256);
        self::assertSame(1, $joined);
        self::assertSame([1, 1, 1, 2, 2, 1, 1, 1, 2, 2, 1, 1, 1, 1, 1], $absorbed);
        self::assertSame([1, 1, 1, 2, 2, 1, 1, 1, 2, 2, 1, 1, 1, 1, 1], $parts);
    }

    /**
     * @param  list<int>  $codes
     * @return array{int, list<int>, list<int>} how many were joined; codes and parts of the pixels after it
     */
    private function absorbed(array $codes, int $width, int $minimum, int $neighbours, int $rows): array
    {
        $context = new Context(1, $this->folder);
        $blocks = $this->blocks($codes, $width, $neighbours, $rows, $context);
        $absorb = new Absorb($blocks, $minimum, SideLength::of(null), $neighbours === 8, $context);
        $after = $blocks->recoded($context, 'test', fn (int $part): int => $absorb->code($part));

        return [$absorb->joined, ...self::painted($after)];
    }

    /** @param  list<int>  $codes */
    private function blocks(array $codes, int $width, int $neighbours, int $rows, Context $context): RunBlocks
    {
        return RunBlocks::made(
            $width,
            intdiv(count($codes), $width),
            $neighbours,
            $context,
            'test',
            function (int $first, int $count) use ($codes, $width): array {
                $map = new RunMap($width);
                $map->append(array_slice($codes, $first * $width, $count * $width), $count);

                return [$map, null];
            }, $rows)[0];
    }

    /** @return array{list<int>, list<int>} codes and parts of the pixels */
    private static function painted(RunBlocks $blocks): array
    {
        $codes = $parts = [];
        for ($block = 0; $block < $blocks->blocks(); $block++) {
            [$map, $own] = $blocks->block($block);
            array_push($codes, ...$map->paint($map->codes, 0, $map->rows()));
            array_push($parts, ...$map->paint($own, 0, $map->rows()));
        }

        return [$codes, $parts];
    }

    public function test_parts_across_seams_are_those_of_the_whole(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(11));
        for ($round = 0; $round < 60; $round++) {
            $width = $random->getInt(1, 30);
            $codes = [];
            for ($i = $width * $random->getInt(1, 30); $i > 0; $i--) {
                $codes[] = $random->getInt(0, 9) < 6 ? 1 : $random->getInt(0, 2);
            }
            foreach ([4, 8] as $neighbours) {
                [$one, $whole] = self::painted($this->blocks($codes, $width, $neighbours, 256, new Context(1, $this->folder)));
                self::assertSame($codes, $one);
                foreach ([1, 3, 7] as $rows) {
                    $blocks = $this->blocks($codes, $width, $neighbours, $rows, new Context(1, $this->folder));
                    self::assertSame([$codes, $whole], self::painted($blocks), "round $round, $rows rows");
                    self::assertSame(max($whole), $blocks->count);
                }
            }
        }
    }

    /**
     * The same rule, written pixel by pixel without regard to speed.
     *
     * @param  list<int>  $codes
     * @return list<int>
     */
    private static function absorbSlowly(array $codes, int $width, int $minimum): array
    {
        $height = intdiv(count($codes), $width);
        $fill = function (array $codes) use ($width, $height): array {
            $label = array_fill(0, count($codes), 0);
            $next = 0;
            foreach ($codes as $start => $code) {
                if ($code === 0 || $label[$start] !== 0) {
                    continue;
                }
                $label[$start] = ++$next;
                for ($stack = [$start]; $stack !== [];) {
                    $at = array_pop($stack);
                    foreach (self::around($at, $width, $height) as $other) {
                        if ($label[$other] === 0 && $codes[$other] === $code) {
                            $label[$other] = $next;
                            $stack[] = $other;
                        }
                    }
                }
            }

            return $label;
        };
        // what comes to touch of one code is one part, with the least of the numbers
        $label = $fill($codes);
        $code = [];
        foreach ($label as $at => $part) {
            $code[$part] = $codes[$at];
        }
        for ($stuck = []; ;) {
            $sizes = array_count_values($label);
            unset($sizes[0]);
            $small = array_diff_key(array_filter($sizes, fn (int $size): bool => $size < $minimum), $stuck);
            if ($small === []) {
                return array_map(fn (int $part): int => $part === 0 ? 0 : $code[$part], $label);
            }
            uksort($small, fn (int $a, int $b): int => [$small[$a], $a] <=> [$small[$b], $b]);
            $part = (int) array_key_first($small);
            $shared = [];
            foreach ($label as $at => $one) {
                if ($one === $part) {
                    foreach (self::around($at, $width, $height) as $other) {
                        if ($label[$other] !== $part && $label[$other] !== 0) {
                            $shared[$label[$other]] = ($shared[$label[$other]] ?? 0) + 1;
                        }
                    }
                }
            }
            if ($shared === []) {
                $stuck[$part] = true;

                continue;
            }
            uksort($shared, fn (int $a, int $b): int => [-$shared[$a], -$sizes[$a], $a] <=> [-$shared[$b], -$sizes[$b], $b]);
            $own = $code[array_key_first($shared)];
            $members = [$part, ...array_filter(array_keys($shared), fn (int $one): bool => $code[$one] === $own)];
            $into = min($members);
            $code[$into] = $own;
            $label = array_map(fn (int $one): int => in_array($one, $members, true) ? $into : $one, $label);
        }
    }

    /** @return list<int> */
    private static function around(int $at, int $width, int $height): array
    {
        $found = [];
        foreach ([[-1, 0], [1, 0], [0, -1], [0, 1]] as [$dx, $dy]) {
            $x = $at % $width + $dx;
            $y = intdiv($at, $width) + $dy;
            if ($x >= 0 && $x < $width && $y >= 0 && $y < $height) {
                $found[] = $y * $width + $x;
            }
        }

        return $found;
    }

    public function test_joining_agrees_with_the_slow_way_on_random_maps(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(7));
        for ($round = 0; $round < 60; $round++) {
            $width = $random->getInt(2, 12);
            $codes = [];
            for ($i = $width * $random->getInt(2, 12); $i > 0; $i--) {
                $codes[] = $random->getInt(0, 3);
            }
            $minimum = $random->getInt(2, 7);
            $expected = self::absorbSlowly($codes, $width, $minimum);
            foreach ([2, 256] as $rows) {
                self::assertSame($expected, $this->absorbed($codes, $width, $minimum, 4, $rows)[1], "round $round");
            }
        }
    }

    public function test_hectares_are_those_of_the_ground(): void
    {
        // the upper half below the limit, the lower above; on maps whose pixels differ in size from row to row, or all over
        $values = array_map(fn (int $i): float => $i < 2000 ? 0.0 : 1.0, range(0, 3999));
        foreach (
            [
                [4326, [9.0, 0.05, 0.0, 60.0, 0.0, -0.2]],
                [3857, [1_000_000.0, 2_000.0, 0.0, 7_500_000.0, 0.0, -2_000.0]],
                [3413, [500_000.0, 5_000.0, 0.0, 300_000.0, 0.0, -5_000.0]],
                [32632, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0]],
            ] as [$epsg, $transform]
        ) {
            $grid = new Grid(40, 100, $transform, $epsg);
            $image = $this->raster("$epsg.tif", new RasterSpec($grid, [new Band]), [$values]);
            $hashes = [];
            foreach ([1, 3] as $workers) {
                $figures = $this->compute(
                    'segment.slice',
                    ['image' => $image],
                    ['limits' => '0.5'],
                    ['classes' => "$this->folder/c.tif"],
                    new Context($workers, $this->folder),
                );
                $hashes[] = json_encode($figures['classes']);
            }
            self::assertSame($hashes[0], $hashes[1]);
            $ground = Ground::of($grid) ?? self::fail();
            foreach ([[0.0, 50.0], [50.0, 100.0]] as $class => [$top, $bottom]) {
                $area = $ground->area([[0.0, $top], [40.0, $top], [40.0, $bottom], [0.0, $bottom]]) / 1e4;
                self::assertEqualsWithDelta(1.0, $figures['classes']['classes'][$class]['hectares'] / $area, 1e-5, "EPSG:$epsg");
            }
        }
    }

    public function test_bad_limits(): void
    {
        $image = $this->image('v.tif', 2, 1, ['red' => [0.1, 0.5]]);
        $run = fn (array $settings, ?string $path = null) => $this->compute('segment.slice', ['image' => $path ?? $image], $settings, [
            'classes' => "$this->folder/c.tif",
        ]);
        self::assertSame('limits', $this->problem(2, 'limits is missing', fn () => $run([]))->about);
        self::assertSame('The limit 0.9 lies outside the data: red runs from 0.1 to 0.5. Slices beyond them are empty.', $run(['limits' => '0.9'])['warning']);
        self::assertSame([1, 1], self::pixels("$this->folder/c.tif"));
        unlink("$this->folder/c.tif");
        $this->problem(2, 'must increase', fn () => $run(['limits' => '0.3,0.2']));
        $this->problem(2, 'needs a number, not “high”', fn () => $run(['limits' => 'high']));
        $this->problem(2, '3 names are given for 2 slices', fn () => $run(['limits' => '0.3', 'names' => 'a,b,c']));
        $this->problem(2, 'is no colour', fn () => $run(['limits' => '0.3', 'colours' => 'red,blue']));
        $this->problem(3, 'no band 3', fn () => $run(['limits' => '0.3', 'band' => '3']));
        $this->problem(
            3,
            'nodata everywhere',
            fn () => $run(['limits' => '0.3'], $this->raster('n.tif', new RasterSpec(self::grid(2, 1), [new Band()]), [[NAN, NAN]])),
        );
        self::assertFileDoesNotExist("$this->folder/c.tif");
    }
}
