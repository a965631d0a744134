<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Maps\MajorityFilter;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** What is made of class maps: filled, smoothed, sieved, recoded. */
final class MapsTest extends TestCase
{
    public function test_smoothing_is_that_of_scipy(): void
    {
        $data = self::fixture('majority.json');
        foreach ($data['cases'] as $name => $case) {
            $map = $this->map('map.tif', $case['map']);
            $this->compute('classify.smooth', ['classes' => $map], ['size' => (string) $case['size']], ['classes' => "$this->folder/smooth.tif"]);
            self::assertSame(array_merge(...$case['smooth']), self::pixels("$this->folder/smooth.tif"), $name);
        }
        $this->problem(2, 'has no centre: use 3 or 5', fn () => $this->compute(
            'classify.smooth',
            ['classes' => $map],
            ['size' => '4'],
            ['classes' => "$this->folder/smooth.tif"],
        ));
    }

    public function test_windows_that_are_even_are_passed_over_and_others_counted_as_a_plain_count_tells(): void
    {
        $random = new Randomizer(new Mt19937(3));
        foreach ([[17, 11, 1], [23, 9, 2], [5, 30, 3], [1, 12, 1], [40, 1, 2], [6, 5, 4]] as [$width, $height, $reach]) {
            foreach ([2, 5] as $kinds) {
                // patches of a few pixels, so that some windows are even
                $codes = array_map(fn (int $i): int => [0, 3, 7, 255, 12][
                    $random->getInt(0, 9) < 8 ? (intdiv($i % $width, 6) + intdiv(intdiv($i, $width), 5)) % $kinds : $random->getInt(0, $kinds - 1)
                ], range(0, $width * $height - 1));
                $slow = [];
                foreach ($codes as $i => $own) {
                    $counts = [];
                    for ($row = max(0, intdiv($i, $width) - $reach); $row <= min($height - 1, intdiv($i, $width) + $reach); $row++) {
                        for ($col = max(0, $i % $width - $reach); $col <= min($width - 1, $i % $width + $reach); $col++) {
                            $counts[$codes[$row * $width + $col]] = ($counts[$codes[$row * $width + $col]] ?? 0) + 1;
                        }
                    }
                    unset($counts[255]);
                    ksort($counts);
                    $slow[] = $own === 255 || $counts[$own] === max($counts) ? $own : array_search(max($counts), $counts, true);
                }
                self::assertSame($slow, MajorityFilter::of($codes, $width, 0, $height, 0, $reach, 255), "$width x $height, $reach");
            }
        }
    }

    public function test_segments_are_filled_with_what_most_of_their_pixels_are(): void
    {
        // segment 1: 2 of 3 are b; 2: one each, the lower code; 3: nodata and c; 4: only nodata; outside of segments all stays
        $map = $this->map('map.tif', [[1, 2, 2, 1, 2], [255, 3, 255, 255, 1], [3, 3, 0, 0, 1]]);
        $segments = $this->raster('labels.tif', RasterSpec::segments(self::grid(5, 3)), [[1, 1, 1, 2, 2, 3, 3, 4, 4, 0, 0, 0, 5, 5, 5]]);
        $points = $this->points([[0, 0, 'a'], [3, 0, 'b'], [1, 1, 'c'], [4, 2, 'a'], [2, 0, 'b']]);
        $figures = $this->compute('classify.fill', ['classes' => $map, 'segments' => $segments, 'points' => $points], [], [
            'classes' => "$this->folder/filled.tif", 'confidence' => "$this->folder/share.tif",
        ]);
        self::assertSame([2, 2, 2, 1, 1, 3, 3, 255, 255, 1, 3, 3, 0, 0, 0], self::pixels("$this->folder/filled.tif"));
        $third = 2 / 3;
        self::assertEqualsWithDelta(
            [$third, $third, $third, 0.5, 0.5, 1.0, 1.0],
            array_slice(self::pixels("$this->folder/share.tif"), 0, 7),
            1e-6,
        );
        self::assertSame([4, 4], [$figures['segments'], $figures['changed']]);
        self::assertSame([['map' => 'before', 'right' => 4, 'of' => 5, 'share' => 0.8], ['map' => 'after', 'right' => 2, 'of' => 5, 'share' => 0.4]],
            $figures['checked']);
        self::assertStringContainsString('less accurate', $figures['advice']);
        self::assertSame(Legend::of(['a', 'b', 'c'])->toArray(), (new GeoTiffImage("$this->folder/filled.tif"))->spec()->legend?->toArray());

        $figures = $this->compute('classify.fill', ['classes' => $map, 'segments' => $segments], ['least' => '60%'], ['classes' => "$this->folder/some.tif"]);
        self::assertSame([2, 2, 2, 0, 0, 3, 3], array_slice(self::pixels("$this->folder/some.tif"), 0, 7));
        self::assertSame(2, $figures['unlabelledSegments']);
    }

    public function test_small_patches_go_up_in_the_neighbour_with_the_longest_edge(): void
    {
        $map = $this->map('map.tif', [
            [1, 1, 1, 1, 2, 2],
            [1, 3, 1, 1, 2, 2],
            [1, 1, 1, 0, 2, 2],
            [255, 255, 1, 1, 2, 2],
            [3, 255, 1, 1, 2, 2],
        ]);
        $figures = $this->compute('classify.sieve', ['classes' => $map], ['minimum' => '3'], ['classes' => "$this->folder/sieved.tif"]);
        self::assertSame(
            [1, 1, 1, 1, 2, 2, 1, 1, 1, 1, 2, 2, 1, 1, 1, 1, 2, 2, 255, 255, 1, 1, 2, 2, 3, 255, 1, 1, 2, 2],
            self::pixels("$this->folder/sieved.tif"),
            'what borders on nothing but nodata stays',
        );
        self::assertSame([5, 2], [$figures['patches'], $figures['joined']]);
    }

    public function test_sieving_is_what_absorbing_reads_like(): void
    {
        foreach ([1, 2, 3, 4] as $seed) {
            $random = new Randomizer(new Mt19937($seed));
            [$width, $height] = [29, 23];
            $codes = array_map(fn (): int => min(3, $random->getInt(1, 4)), range(1, $width * $height));
            $map = $this->map('map.tif', array_chunk($codes, $width));
            foreach ([2, 4, 9] as $minimum) {
                $this->compute('classify.sieve', ['classes' => $map], ['minimum' => $minimum], ['classes' => "$this->folder/sieved.tif"]);
                $slow = new SlowTidy($codes, range(0, $width * $height - 1), $width, $height);
                $slow->absorb($minimum);
                self::assertSame(array_values($slow->codes), self::pixels("$this->folder/sieved.tif"), "seed $seed, minimum $minimum");
            }
        }
    }

    public function test_what_comes_to_touch_is_one_patch(): void
    {
        // reed (3) goes to mud (2), which has five pixels then with the one that it touches at a corner, and four without
        $map = $this->map('map.tif', [[4, 4, 2, 2, 1], [4, 4, 3, 2, 1], [4, 2, 1, 1, 1], [4, 4, 4, 1, 1]]);
        foreach (['8' => 2, '4' => 1] as $neighbours => $expected) {
            $settings = ['minimum' => 5, 'neighbours' => (string) $neighbours];
            $this->compute('classify.sieve', ['classes' => $map], $settings, ['classes' => "$this->folder/sieved.tif"]);
            self::assertSame($expected, self::pixels("$this->folder/sieved.tif")[7], "by $neighbours neighbours");
        }
    }

    public function test_edges_of_oblong_pixels_count_by_their_length(): void
    {
        // the pixel in the middle has two sides to either class; those between columns are the longer ones of high pixels
        $rows = [[1, 1, 1, 1, 1], [2, 2, 3, 2, 2], [1, 1, 1, 1, 1]];
        foreach ([[20.0, 60.0, 2], [60.0, 20.0, 1]] as [$wide, $high, $expected]) {
            $grid = new Grid(5, 3, [431_000.0, $wide, 0.0, 6_072_000.0, 0.0, -$high], 25832);
            $map = $this->raster('oblong.tif', RasterSpec::classes($grid, Legend::of(['sand', 'mud', 'reed'])), [array_merge(...$rows)]);
            $this->compute('classify.sieve', ['classes' => $map], ['minimum' => 2], ['classes' => "$this->folder/sieved.tif"]);
            self::assertSame($expected, self::pixels("$this->folder/sieved.tif")[7]);
        }
    }

    public function test_sieving_is_what_cutting_with_a_minimum_makes(): void
    {
        $random = new Randomizer(new Mt19937(12));
        $codes = array_map(fn (): int => $random->getInt(1, 3), range(1, 60 * 50));
        $map = $this->map('map.tif', array_chunk($codes, 60));
        foreach (['4', '8'] as $neighbours) {
            $settings = ['minimum' => '6', 'neighbours' => $neighbours];
            $this->compute('classify.sieve', ['classes' => $map], $settings, ['classes' => "$this->folder/sieved.tif"]);
            $this->compute('segment.slice', ['classes' => $map], $settings, ['classes' => "$this->folder/sliced.tif"]);
            self::assertSame(self::pixels("$this->folder/sliced.tif"), self::pixels("$this->folder/sieved.tif"));
        }
    }

    public function test_classes_are_joined_renamed_and_ordered(): void
    {
        $map = $this->map('map.tif', [[1, 2, 3, 0, 255, 2]]);
        $run = function (string $lines, string $others = 'keep') use ($map): array {
            $this->compute('classify.recode', ['classes' => $map], ['lines' => $lines, 'others' => $others], ['classes' => "$this->folder/new.tif"]);

            return [self::pixels("$this->folder/new.tif"), (new GeoTiffImage("$this->folder/new.tif"))->spec()->legend?->classes];
        };
        [$a, $b, $c] = array_column(Legend::of(['a', 'b', 'c'])->toArray(), 'colour');
        self::assertSame(
            [[2, 1, 1, 0, 255, 1], [1 => ['name' => 'land', 'colour' => $b], 2 => ['name' => 'a', 'colour' => $a]]],
            $run('land = b, 3'),
        );
        self::assertSame(
            [[0, 1, 0, 0, 255, 1], [1 => ['name' => 'b', 'colour' => '#336699']]],
            $run("b #336699 = b\n", 'give-back'),
        );
        self::assertSame($c, $run("c = c\na = a")[1][1]['colour']);
        foreach ([
            'Line 2: “b” is in another line already.' => "x = b\ny = b",
            'Line 1: map.tif has no class “d”' => 'x = d',
            'Line 1: write' => 'b, c',
            'is kept and a line makes another of that name' => 'c = b',
        ] as $sentence => $lines) {
            $this->problem(2, $sentence, fn () => $run($lines));
        }
    }

    /** @param  list<list<int>>  $rows */
    private function map(string $name, array $rows): string
    {
        return $this->raster($name, RasterSpec::classes(self::grid(count($rows[0]), count($rows)), Legend::of(['a', 'b', 'c'])), [array_merge(...$rows)]);
    }

    /** @param  list<array{int, int, string}>  $points  column, row, label */
    private function points(array $points): string
    {
        file_put_contents("$this->folder/points.geojson", json_encode([
            'type' => 'FeatureCollection',
            'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']],
            'features' => array_map(fn (array $point): array => [
                'type' => 'Feature',
                'properties' => ['label' => $point[2]],
                'geometry' => ['type' => 'Point', 'coordinates' => self::grid(5, 3)->toMap($point[0] + 0.5, $point[1] + 0.5)],
            ], $points),
        ]));

        return "$this->folder/points.geojson";
    }
}
