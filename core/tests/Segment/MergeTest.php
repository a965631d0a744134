<?php

namespace Chorometra\Core\Tests\Segment;

use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Segment\Merging\Ladder;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Merging as a step: what comes back, what the tree promises, what is told. */
final class MergeTest extends TestCase
{
    /**
     * Fields with grain.
     *
     * @return list<float>
     */
    private static function fields(int $width, int $height, int $seed, float $unit = 1.0): array
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937($seed));

        return array_map(function (int $i) use ($width, $random, $unit, $seed): float {
            [$x, $y] = [$i % $width, intdiv($i, $width)];

            return $unit * ((intdiv($x, 9) * 7 + intdiv($y, 11) * 3 + $seed) % 5 + 0.3 * $random->getInt(-100, 100) / 100);
        }, range(0, $width * $height - 1));
    }

    private function scene(string $name = 'scene.tif', float $unit = 1.0): string
    {
        return $this->image($name, 60, 50, ['red' => self::fields(60, 50, 1, $unit), 'nir' => self::fields(60, 50, 2, $unit)]);
    }

    /**
     * @param  array<string, string>  $inputs
     * @param  array<string, mixed>  $settings
     * @return array<string, mixed>
     */
    private function merged(array $inputs, array $settings, string $name = 's'): array
    {
        return $this->compute('segment.merge', $inputs, $settings, ['segments' => "$this->folder/$name.tif", 'tree' => "$this->folder/$name.npz"]);
    }

    public function test_segments_are_connected_and_numbered_in_the_order_of_the_image(): void
    {
        $figures = $this->merged(['images' => $this->scene()], ['merge-limit' => 9]);
        $labels = array_map(intval(...), self::pixels("$this->folder/s.tif"));
        self::assertSame(range(1, $figures['segments']), array_values(array_unique($labels)));
        self::assertEqualsWithDelta(3000 / $figures['segments'], $figures['meanSize'], 1e-9);
        // as many connected parts as numbers
        $parts = 0;
        $seen = [];
        foreach ($labels as $start => $label) {
            if (isset($seen[$start])) {
                continue;
            }
            $parts++;
            for ($todo = [$start], $seen[$start] = true; $todo !== [];) {
                $i = array_pop($todo);
                foreach ([$i % 60 > 0 ? $i - 1 : -1, $i % 60 < 59 ? $i + 1 : -1, $i - 60, $i + 60] as $beside) {
                    if (! isset($seen[$beside]) && ($labels[$beside] ?? 0) === $label) {
                        $seen[$beside] = true;
                        $todo[] = $beside;
                    }
                }
            }
        }
        self::assertSame($figures['segments'], $parts);
        self::assertGreaterThan(0.0, $figures['formShare']);
        self::assertLessThan(1.0, $figures['formShare']);
    }

    public function test_the_unit_of_the_bands_makes_no_difference(): void
    {
        foreach (['share' => 1.0, 'counts' => 10_000.0] as $name => $unit) {
            $figures = $this->merged(['images' => $this->scene("$name.tif", $unit)], ['merge-limit' => 9], $name);
            self::assertEqualsWithDelta(0.5, $figures['bands'][0]['share'], 1e-12);
        }
        self::assertSame(self::pixels("$this->folder/share.tif"), self::pixels("$this->folder/counts.tif"));
    }

    public function test_the_tree_holds_the_runs_to_its_rungs(): void
    {
        $scene = $this->scene();
        $figures = $this->merged(['images' => $scene], ['merge-limit' => 5]);
        $tree = MergeTree::read("$this->folder/s.npz");
        self::assertSame($figures['segments'], $tree->leaves);
        $labels = array_map(intval(...), self::pixels("$this->folder/s.tif"));
        $of = function (float $limit) use ($tree, $labels): array {
            $pieces = $tree->cut($limit);

            return array_map(fn (int $label): int => $pieces[$label - 1], $labels);
        };
        self::assertSame($labels, $of(5.0));
        $first = $figures['rungs'][0]['limit'];
        $tried = 0;
        for ($rung = $first; $rung <= 20.0; $rung *= 2.0) {
            if ($rung > 5.0) {
                $this->merged(['images' => $scene], ['merge-limit' => $rung], 'run');
                self::assertSame(array_map(intval(...), self::pixels("$this->folder/run.tif")), $of($rung), "cut at $rung");
                $tried++;
            }
        }
        self::assertGreaterThan(0, $tried);
        // coarser by a step of its own, between rungs and at them
        foreach ([7.0, 2.0 ** ceil(log(5.0, 2))] as $limit) {
            $inputs = ['segments' => "$this->folder/s.tif", 'tree' => "$this->folder/s.npz"];
            $this->compute('segment.coarsen', $inputs, ['merge-limit' => $limit], ['segments' => "$this->folder/c.tif"]);
            $numbers = [];
            $expected = array_map(function (int $piece) use (&$numbers): int {
                return $numbers[$piece] ??= count($numbers) + 1;
            }, $of($limit));
            self::assertSame($expected, array_map(intval(...), self::pixels("$this->folder/c.tif")));
        }
        self::assertSame('merge-limit', $this->problem(2, 'covers merge limits from 5 to 20', fn (): array => $this->compute(
            'segment.coarsen',
            ['segments' => "$this->folder/s.tif", 'tree' => "$this->folder/s.npz"],
            ['merge-limit' => 80],
            ['segments' => "$this->folder/x.tif"],
        ))->about);
    }

    /** Noise on a slope, of which no limit makes fields. */
    private function grain(): string
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(9));
        $noise = fn (): array => array_map(fn (int $i): float => $i % 60 * 0.05 + $random->getInt(-1000, 1000) / 500, range(0, 2999));

        return $this->image('grain.tif', 60, 50, ['red' => $noise(), 'nir' => $noise()]);
    }

    public function test_a_trial_has_the_run_to_its_limit_in_its_tree(): void
    {
        $image = new GeoTiffImage($scene = $this->grain());
        $kind = Registry::get('segment.merge');
        $whole = new Window(0, 0, 60, 50);
        $outputs = ['segments' => "$this->folder/t.tif", 'tree' => "$this->folder/t.npz"];
        $call = CallOpener::call($kind, ['images:1' => new Crop($image, $whole)], ['merge-limit' => 30], $outputs, new Context(2, $this->folder, trial: true));
        $figures = Runner::run($kind, $call);
        $run = $this->merged(['images' => $scene], ['merge-limit' => 30]);
        $tree = MergeTree::read("$this->folder/t.npz");
        self::assertSame($figures['leaves'], $tree->leaves);
        self::assertGreaterThan($run['segments'], $tree->leaves);
        $pieces = $tree->cut(30.0);
        self::assertSame(
            array_map(intval(...), self::pixels("$this->folder/s.tif")),
            array_map(fn (float $leaf): int => $pieces[(int) $leaf - 1], self::pixels("$this->folder/t.tif")),
        );
        self::assertSame($run['segments'], $figures['segments']);
        self::assertEqualsWithDelta($run['formShare'], $figures['formShare'], 1e-12);
        self::assertSame($run['bands'], $figures['bands']);
        self::assertEqualsWithDelta([$run['rungs'][0]['limit'], 120.0], [$figures['limits'][0]['limit'], end($figures['limits'])['limit']], 1e-9);
        // of a part bands are divided by what they vary over all of the image
        $part = CallOpener::call($kind, ['images:1' => new Crop($image, new Window(5, 5, 20, 20))], ['merge-limit' => 30], $outputs,
            new Context(1, $this->folder, trial: true));
        self::assertSame($run['bands'], Runner::run($kind, $part)['bands']);
    }

    public function test_two_dates_are_cut_together_within_a_map(): void
    {
        $before = $this->scene('before.tif');
        $after = $this->image('after.tif', 60, 50, ['red' => self::fields(60, 50, 3), 'nir' => self::fields(60, 50, 4)]);
        $codes = array_map(fn (int $i): int => $i % 60 < 30 ? 1 : 2, range(0, 2999));
        $legend = new Legend([1 => ['name' => 'land', 'colour' => '#448844'], 2 => ['name' => 'sea', 'colour' => '#4444aa']]);
        $map = $this->raster('map.tif', RasterSpec::classes(self::grid(60, 50), $legend), [$codes]);
        $settings = ['names' => 'before,after', 'bands' => 'before.red,after.red,after.nir', 'weights' => '2,1,1', 'codes' => 'land', 'merge-limit' => 9];
        $figures = $this->merged(['images:1' => $before, 'images:2' => $after, 'within' => $map], $settings);
        self::assertSame(['before.red', 'after.red', 'after.nir'], array_column($figures['bands'], 'band'));
        self::assertSame([0.5, 0.25, 0.25], array_column($figures['bands'], 'share'));
        foreach (self::pixels("$this->folder/s.tif") as $i => $label) {
            self::assertSame($codes[$i] === 1, $label > 0, "pixel $i");
        }
        $spec = (new GeoTiffImage("$this->folder/s.tif"))->spec();
        self::assertSame('segment', $spec->bands[0]->name);
        // small ones are gone
        $figures = $this->merged(['images' => $before], ['merge-limit' => 3, 'minimum' => 6], 'm');
        self::assertGreaterThan(0, $figures['joined']);
        self::assertGreaterThanOrEqual(6, min(array_count_values(array_map(strval(...), self::pixels("$this->folder/m.tif")))));
    }

    public function test_merging_begins_with_segments_that_are_given(): void
    {
        // parcels of 6 x 5, one that a hole parts in two, over the grain
        $grain = $this->grain();
        $parcels = array_map(fn (int $i): int => intdiv($i, 300) * 10 + intdiv($i % 60, 6) + 1, range(0, 2999));
        $start = $this->raster('parcels.tif', RasterSpec::segments(self::grid(60, 50)), [$parcels]);
        $figures = $this->merged(['images' => $grain, 'start' => $start], ['merge-limit' => 7, 'form' => 20]);
        $labels = array_map(intval(...), self::pixels("$this->folder/s.tif"));
        self::assertLessThan(100, $figures['segments']);
        self::assertGreaterThan(5, $figures['segments']);
        // as the slow implementation would, from the same parcels
        $bands = array_map(
            fn (int $k): array => array_map(fn (float $value): float => 0.8 * $value / $figures['bands'][$k]['divided-by'], self::pixels($grain, $k)),
            [0, 1],
        );
        $firsts = array_map(fn (int $parcel): int => (int) array_search($parcel, $parcels, true), $parcels);
        $deviations = array_sum(array_map(fn (array $band): float => 0.8 * $band['deviation'] / $band['divided-by'], $figures['bands']));
        $apart = fn (array $values): float => array_sum(array_map(
            fn (int $i): float => $i % 60 < 59 ? abs($values[$i] - $values[$i + 1]) / (50 * 59) : 0.0,
            range(0, 2998),
        ));
        $ladder = Ladder::to(7.0, $deviations, array_sum(array_map($apart, $bands)));
        $slow = new SlowMerging($bands, 60, 50, 0.1, 0.1, $ladder->quantum(), $firsts);
        foreach ($ladder->up() as $rung) {
            $slow->climb($rung);
        }
        self::assertSame($slow->labels(), $labels);
        // outside of the classes chosen they stay as they are
        $codes = array_map(fn (int $i): int => $i % 60 < 33 ? 1 : 2, range(0, 2999));
        $legend = new Legend([1 => ['name' => 'land', 'colour' => '#448844'], 2 => ['name' => 'sea', 'colour' => '#4444aa']]);
        $map = $this->raster('map.tif', RasterSpec::classes(self::grid(60, 50), $legend), [$codes]);
        $this->merged(['images' => $grain, 'start' => $start, 'within' => $map], ['merge-limit' => 400, 'codes' => 'land'], 'w');
        $within = array_map(intval(...), self::pixels("$this->folder/w.tif"));
        $sea = array_keys(array_filter($codes, fn (int $code): bool => $code === 2));
        $pairs = array_unique(array_map(fn (int $i): string => "$within[$i] $parcels[$i]", $sea));
        self::assertCount(count(array_unique(array_map(fn (int $i): int => $parcels[$i], $sea))), $pairs);
        self::assertSame(count($pairs), count(array_unique(array_map(fn (int $i): int => $within[$i], $sea))));
        $land = array_unique(array_map(fn (int $i): int => $within[$i], array_keys(array_filter($codes, fn (int $code): bool => $code === 1))));
        self::assertSame([], array_intersect($land, array_map(fn (int $i): int => $within[$i], $sea)));
        self::assertLessThan(55, count($land));
        $other = $this->raster('other.tif', RasterSpec::segments(self::grid(30, 50)), [array_fill(0, 1500, 1)]);
        $apart = fn (): array => $this->merged(['images' => $grain, 'start' => $other], []);
        self::assertSame('start', $this->problem(3, 'is not on the grid', $apart)->about);
    }

    public function test_a_tile_without_a_value_is_no_trouble(): void
    {
        $values = array_map(fn (int $i): float => $i % 600 < 300 ? NAN : ($i * 37 % 101) / 10, range(0, 600 * 40 - 1));
        $image = $this->image('half.tif', 600, 40, ['nir' => $values]);
        $figures = $this->compute('segment.merge', ['images' => $image], ['merge-limit' => '20'], ['segments' => "$this->folder/s.tif"]);
        self::assertSame([0], array_values(array_unique(array_slice(self::pixels("$this->folder/s.tif"), 0, 300))));
        self::assertSame($figures['segments']['segments'] ?? $figures['segments'], max(self::pixels("$this->folder/s.tif")));
    }

    public function test_what_makes_no_segments_is_told(): void
    {
        $scene = $this->scene();
        $run = fn (array $settings, array $more = []): \Closure => fn (): array => $this->merged(['images' => $scene] + $more, $settings, 'x');
        self::assertSame('weights', $this->problem(2, 'There are 3 weights for 2 bands (red, nir)', $run(['weights' => '1,2,3']))->about);
        self::assertSame('weights', $this->problem(2, 'by nothing nothing can be cut', $run(['weights' => '0,0']))->about);
        self::assertSame('bands', $this->problem(2, 'There is no “swir1”', $run(['bands' => 'swir1']))->about);
        self::assertSame('bands', $this->problem(2, 'named twice', $run(['bands' => 'red,red']))->about);
        $legend = new Legend([1 => ['name' => 'land', 'colour' => '#448844']]);
        $map = $this->raster('map.tif', RasterSpec::classes(self::grid(60, 50), $legend), [array_fill(0, 3000, 1)]);
        self::assertSame('codes', $this->problem(2, 'has no class “sea”; it has land', $run(['codes' => 'sea'], ['within' => $map]))->about);
        self::assertSame('codes', $this->problem(2, 'Choose the classes', $run([], ['within' => $map]))->about);
        $empty = $this->raster('empty.tif', new RasterSpec(self::grid(5, 5), [new Band('red')]), [array_fill(0, 25, NAN)]);
        self::assertSame('images', $this->problem(3, 'there is nothing to segment', fn (): array => $this->merged(['images' => $empty], [], 'x'))->about);
        self::assertStringContainsString('take a lower limit', $this->merged(['images' => $scene], ['merge-limit' => 1e6], 'one')['warning']);
        self::assertStringContainsString('take a higher limit', $this->merged(['images' => $scene], ['merge-limit' => 1e-5], 'all')['warning']);
        $flat = $this->image('flat.tif', 60, 50, ['red' => self::fields(60, 50, 1), 'nir' => array_fill(0, 3000, 7.0)]);
        self::assertSame(['nir'], $this->merged(['images' => $flat], [], 'flat')['leftOut']);
    }
}
