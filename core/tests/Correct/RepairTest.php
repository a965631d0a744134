<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Stats\Robust;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Lines, pixels and gaps that were made bad on purpose: what was there before is known. */
final class RepairTest extends TestCase
{
    /** @return list<float> smooth ground with some grain */
    private static function ground(int $width, int $height, int $seed = 3): array
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937($seed));
        $out = [];
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $out[] = 300 + 80 * sin($x / 14) + 60 * cos($y / 11) + $random->getInt(-500, 500) / 100;
            }
        }

        return $out;
    }

    public function test_the_spread_is_that_of_a_normal_distribution(): void
    {
        // median and 1.4826 times the median absolute deviation by hand
        self::assertSame([3.0, 1.4826], Robust::spread([1.0, 2.0, 3.0, 4.0, 100.0]));
        self::assertSame([0.0, 0.0], Robust::spread([]));
    }

    public function test_bad_lines_are_found_and_bridged(): void
    {
        [$width, $height] = [90, 600];
        $true = $bad = self::ground($width, $height);
        foreach ([0 => 50.0, 57 => 40.0, 255 => -45.0, 256 => 38.0, 599 => 60.0] as $row => $by) {
            for ($x = 0; $x < $width; $x++) {
                $bad[$row * $width + $x] += $by;
            }
        }
        for ($x = 0; $x < $width; $x++) {
            $bad[300 * $width + $x] = NAN;
        }
        // a line that is off beside one that is lost, with a good one between them
        for ($x = 0; $x < $width; $x++) {
            $bad[302 * $width + $x] += 70;
        }
        $bad[400 * $width + 33] += 300;
        $image = $this->image('b.tif', $width, $height, ['red' => $bad, 'nir' => $true]);
        $figures = $this->compute(
            'correct.lines',
            ['image' => $image],
            ['pixel-limit' => 12],
            ['result' => "$this->folder/r.tif", 'repaired' => "$this->folder/m.tif"],
        );
        self::assertSame([1, 58, 256, 257, 301, 303, 600], array_column($figures['bad'][0]['lines'], 'line'));
        self::assertSame([], $figures['bad'][1]['lines'], 'the other band has none');
        $found = self::pixels("$this->folder/r.tif", 0);
        $mask = self::pixels("$this->folder/m.tif");
        foreach ($true as $i => $value) {
            $row = intdiv($i, $width);
            if (in_array($row, [0, 57, 255, 256, 300, 302, 599], true)) {
                self::assertSame(2, $mask[$i]);
                self::assertEqualsWithDelta($value, $found[$i], 18.0, "line $row");
            } elseif ($i === 400 * $width + 33) {
                self::assertSame(3, $mask[$i]);
                self::assertEqualsWithDelta($value, $found[$i], 18.0);
            } else {
                self::assertSame(1, $mask[$i]);
                self::assertEqualsWithDelta($value, $found[$i], 1e-4);
            }
        }
        // only shown
        $this->compute('correct.lines', ['image' => $image], ['repair' => false], ['result' => "$this->folder/s.tif", 'repaired' => "$this->folder/n.tif"]);
        self::assertEqualsWithDelta($bad[57 * $width], self::pixels("$this->folder/s.tif", 0)[57 * $width], 1e-4);
        self::assertSame(2, self::pixels("$this->folder/n.tif")[57 * $width]);
        // known by hand, in every band
        $figures = $this->compute('correct.lines', ['image' => $image], ['rows' => '100', 'limit' => 100], ['result' => "$this->folder/h.tif"]);
        self::assertContains(100, array_column($figures['bad'][1]['lines'], 'line'));
        $hashes = [];
        foreach ([1, 3] as $workers) {
            $this->compute(
                'correct.lines',
                ['image' => $image],
                ['pixel-limit' => 12],
                ['result' => "$this->folder/w.tif"],
                new Context($workers, $this->folder),
            );
            $hashes[] = md5_file("$this->folder/w.tif");
        }
        self::assertSame($hashes[0], $hashes[1]);
        $this->problem(
            2,
            'There is no line 601',
            fn () => $this->compute('correct.lines', ['image' => $image], ['rows' => '601'], ['result' => "$this->folder/x.tif"]),
        );
        $this->problem(
            3,
            'fewer than three lines',
            fn () => $this->compute(
                'correct.lines',
                ['image' => $this->image('two.tif', 2, 2, ['red' => [1, 2, 3, 4]])],
                [],
                ['result' => "$this->folder/x.tif"],
            ),
        );
    }

    public function test_rows_beside_a_step_across_the_image_are_sound(): void
    {
        foreach ([1, 2, 3, 40, 77, 78] as $step) {
            [$width, $height] = [60, 80];
            $values = self::ground($width, $height);
            for ($i = $step * $width; $i < $width * $height; $i++) {
                $values[$i] += 400;
            }
            $figures = $this->compute(
                'correct.lines',
                ['image' => $this->image('s.tif', $width, $height, ['red' => $values])],
                [],
                ['result' => "$this->folder/r.tif"],
            );
            // a single row beyond the step can't be told from a bad one
            self::assertSame($step === 1 ? [1] : [], array_column($figures['bad'][0]['lines'], 'line'), "a step at $step");
            // a bad line right beside the step, and two
            for ($i = ($step + 4) * $width; $step === 40 && $i < ($step + 6) * $width; $i++) {
                $values[$i] -= 90;
            }
            if ($step === 40) {
                $figures = $this->compute(
                    'correct.lines',
                    ['image' => $this->image('s.tif', $width, $height, ['red' => $values])],
                    [],
                    ['result' => "$this->folder/r.tif"],
                );
                self::assertSame([45, 46], array_column($figures['bad'][0]['lines'], 'line'));
            }
        }
    }

    public function test_gaps_are_filled_from_another_date_made_alike(): void
    {
        [$width, $height] = [120, 100];
        $true = self::ground($width, $height);
        // another light: brighter, more contrast
        $other = array_map(fn (float $value): float => 40 + 1.6 * $value, $true);
        $holed = $true;
        foreach ($holed as $i => $value) {
            // slanting strips
            if (($i % $width + 2 * intdiv($i, $width)) % 25 < 4) {
                $holed[$i] = NAN;
            }
        }
        $image = $this->image('h.tif', $width, $height, ['red' => $holed]);
        $this->compute(
            'correct.gaps',
            ['image' => $image, 'other' => $this->image('o.tif', $width, $height, ['red' => $other])],
            [],
            ['result' => "$this->folder/f.tif", 'filled' => "$this->folder/m.tif"],
        );
        $found = self::pixels("$this->folder/f.tif");
        $mask = self::pixels("$this->folder/m.tif");
        foreach ($true as $i => $value) {
            self::assertSame(is_nan($holed[$i]) ? 2 : 1, $mask[$i]);
            // the two dates differ by a straight line only: exact but for the file's digits
            self::assertEqualsWithDelta($value, $found[$i], 0.02, "pixel $i");
        }
        // from around, with the grain that nobody can know
        $this->compute('correct.gaps', ['image' => $image], [], ['result' => "$this->folder/a.tif"]);
        foreach (self::pixels("$this->folder/a.tif") as $i => $value) {
            self::assertEqualsWithDelta($true[$i], $value, 25.0);
        }
        // a mask says where; too far from anything it stays a gap, and says so
        $mask = $this->raster('mask.tif', new RasterSpec(self::grid($width, $height), [new Band()], SampleType::UInt8, null), [
            array_map(
                fn (int $i): int => $i % $width > 40 && $i % $width < 110 && intdiv($i, $width) > 20 && intdiv($i, $width) < 90 ? 1 : 0,
                range(0, $width * $height - 1),
            ),
        ]);
        $this->compute(
            'correct.gaps',
            ['image' => $image, 'mask' => $mask],
            ['size' => 11, 'codes' => '2,3'],
            ['result' => "$this->folder/none.tif", 'filled' => "$this->folder/nonem.tif"],
        );
        self::assertNotContains(3, self::pixels("$this->folder/nonem.tif"), 'a code that is not named is no gap');
        $this->compute(
            'correct.gaps',
            ['image' => $image, 'mask' => $mask],
            ['size' => 11],
            ['result' => "$this->folder/k.tif", 'filled' => "$this->folder/km.tif"],
        );
        self::assertSame(3, self::pixels("$this->folder/km.tif")[55 * $width + 75]);
        self::assertNan(self::pixels("$this->folder/k.tif")[55 * $width + 75]);
        $this->problem(
            3,
            'filling needs the same bands',
            fn () => $this->compute(
                'correct.gaps',
                ['image' => $image, 'other' => $this->image('t.tif', $width, $height, ['red' => $true, 'nir' => $true])],
                [],
                ['result' => "$this->folder/x.tif"],
            ),
        );
        $this->problem(
            2,
            'use an odd number',
            fn () => $this->compute('correct.gaps', ['image' => $image], ['size' => 8], ['result' => "$this->folder/x.tif"]),
        );
    }

    public function test_masks_by_bits_and_by_reflectance(): void
    {
        $codes = [1, 64, 64 | 8, 64 | 16, 64 | 128, 32, 8 | 16, 16 | 128];
        $quality = $this->raster('q.tif', new RasterSpec(self::grid(8, 1), [new Band('quality')], SampleType::UInt16, null), [$codes]);
        $this->compute('correct.mask', ['image' => $quality], [], ['result' => "$this->folder/m.tif"]);
        self::assertSame([255, 1, 2, 3, 4, 5, 2, 3], self::pixels("$this->folder/m.tif"));
        // by confidence: bits 8 and 9 cloud, 10 and 11 shadow, 12 and 13 snow (the codes of sources.md: clear land, clear water, cloud of high confidence)
        $sure = $this->raster('s.tif', new RasterSpec(self::grid(6, 1), [new Band('quality')], SampleType::UInt16, null), [
            [21824, 21952, 22280, 21824 | (3 << 8), (21824 & ~(3 << 10)) | (2 << 10), 21824 | (3 << 12)],
        ]);
        $by = function (array $set) use ($sure): array {
            $this->compute('correct.mask', ['image' => $sure], $set, ['result' => "$this->folder/m.tif"]);

            return self::pixels("$this->folder/m.tif");
        };
        self::assertSame([1, 4, 2, 1, 1, 1], $by([]));
        self::assertSame([1, 4, 2, 2, 1, 5], $by(['least-confidence' => 'high']));
        self::assertSame([1, 4, 2, 2, 3, 5], $by(['least-confidence' => 'medium']));
        // grown all around by a distance: clouds over shadows, nodata stays
        $plain = array_fill(0, 31 * 31, 64);
        [$plain[15 * 31 + 10], $plain[15 * 31 + 20], $plain[14 * 31 + 10]] = [64 | 8, 64 | 16, 1];
        $quality = $this->raster('g.tif', new RasterSpec(self::grid(31, 31), [new Band('quality')], SampleType::UInt16, null), [$plain]);
        $this->compute('correct.mask', ['image' => $quality], ['grow' => 6], ['result' => "$this->folder/m.tif"]);
        $found = self::pixels("$this->folder/m.tif");
        foreach ($found as $i => $code) {
            [$x, $y] = [$i % 31, intdiv($i, 31)];
            $expected = $i === 14 * 31 + 10 ? 255 : (hypot($x - 10, $y - 15) <= 6 ? 2 : (hypot($x - 20, $y - 15) <= 6 ? 3 : 1));
            self::assertSame($expected, $code, "$x, $y");
        }
        // pasture, cloud, water, snow, shadow over wood, nodata, quarry
        $spectra = [
            'blue' => [0.04, 0.62, 0.05, 0.8, 0.02, NAN, 0.2],
            'green' => [0.08, 0.62, 0.06, 0.8, 0.03, 0.1, 0.3],
            'red' => [0.06, 0.63, 0.04, 0.78, 0.02, 0.1, 0.42],
            'nir' => [0.37, 0.66, 0.01, 0.7, 0.08, 0.1, 0.5],
            'swir1' => [0.21, 0.5, 0.005, 0.1, 0.05, 0.1, 0.55],
        ];
        $image = $this->image('r.tif', 7, 1, $spectra);
        $this->compute('correct.mask', ['image' => $image], ['by' => 'reflectance'], ['result' => "$this->folder/n.tif"]);
        self::assertSame([1, 2, 4, 5, 3, 255, 1], self::pixels("$this->folder/n.tif"));
        $quality = "$this->folder/q.tif";
        $this->problem(
            3,
            'has no quality band; it has 1 blue',
            fn () => $this->compute('correct.mask', ['image' => $image], [], ['result' => "$this->folder/x.tif"]),
        );
        $this->problem(
            3,
            'has no band blue',
            fn () => $this->compute('correct.mask', ['image' => $quality], ['by' => 'reflectance'], ['result' => "$this->folder/x.tif"]),
        );
    }
}
