<?php

namespace Chorometra\Core\Tests\Derive;

use Chorometra\Core\Derive\Texture;
use Chorometra\Core\Derive\Windows\CoOccurrence;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Tests\TestCase;

/** Co-occurrence against scikit-image and the published example (fixtures/f_glcm.json), and by brute force where there are holes. */
final class TextureTest extends TestCase
{
    /** Columns and rows, by the names of the fixture. */
    private const DIRECTIONS = ['right (0,+1) = Haralick 0 deg' => [1, 0], 'up-right (-1,+1) = Haralick 45 deg' => [-1, 1],
        'down (+1,0) = Haralick 90 deg' => [0, 1], 'down-right (+1,+1) = Haralick 135 deg' => [1, 1]];

    public function test_a_window_that_holds_all_gives_the_measures_of_scikit_image(): void
    {
        $data = self::fixture('f_glcm.json');
        $values = array_map(floatval(...), array_merge(...$data['patch']));
        foreach ([1, 2] as $distance) {
            foreach (self::DIRECTIONS as $name => [$cols, $rows]) {
                $expected = $data['expected']["d=$distance $name"];
                $found = Texture::measures($values, new RowBlock(12, 12), 25, 8, 0.0, 8.0, [[$distance * $cols, $distance * $rows]], CoOccurrence::MEASURES);
                $keys = ['contrast', 'dissimilarity', 'homogeneity', 'ASM', 'energy', 'entropy_ln', 'correlation'];
                // wherever the window's middle lies
                foreach ($keys as $k => $key) {
                    self::assertClose(array_fill(0, 144, $expected[$key]), $found[$k], 1e-10, "$distance $name $key");
                }
            }
        }
        $mean = Texture::measures($values, new RowBlock(12, 12), 25, 8, 0.0, 8.0, array_values(self::DIRECTIONS), CoOccurrence::MEASURES);
        self::assertEqualsWithDelta($data['mean_over_4_directions_d1']['entropy_ln'], $mean[5][70], 1e-10);
        [$small] = Texture::measures($values, new RowBlock(12, 12), 5, 8, 0.0, 8.0, [[1, 0]], ['contrast']);
        self::assertEqualsWithDelta($data['window_5x5_at_row6_col6_d1_right_contrast'], $small[6 * 12 + 6], 1e-12);
    }

    public function test_the_published_example(): void
    {
        $data = self::fixture('f_glcm.json')['haralick_1973'];
        $values = array_map(floatval(...), array_merge(...$data['image']));
        foreach (array_combine(array_keys($data['symmetric_counts']), array_values(self::DIRECTIONS)) as $name => $offset) {
            $counts = array_merge(...$data['symmetric_counts'][$name]);
            $sum = array_sum($counts);
            [$asm, $contrast] = Texture::measures($values, new RowBlock(4, 4), 9, 4, 0.0, 4.0, [$offset], ['asm', 'contrast']);
            self::assertEqualsWithDelta(array_sum(array_map(fn (int $n): float => ($n / $sum) ** 2, $counts)), $asm[5], 1e-14, $name);
            $squares = array_map(fn (int $n, int $k): float => ($k % 4 - intdiv($k, 4)) ** 2 * $n / $sum, $counts, array_keys($counts));
            self::assertEqualsWithDelta(array_sum($squares), $contrast[5], 1e-14, $name);
        }
    }

    public function test_holes_and_edges_are_left_out(): void
    {
        [$width, $height, $size, $levels] = [11, 9, 5, 6];
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(7));
        $values = [];
        for ($i = 0; $i < $width * $height; $i++) {
            $values[] = $random->getInt(0, 5) === 0 ? NAN : $random->getInt(0, 599) / 100;
        }
        foreach ([[1, 0], [-1, 1], [0, 2], [3, 1]] as $offset) {
            $found = Texture::measures($values, new RowBlock($width, $height), $size, $levels, 0.0, 6.0, [$offset], CoOccurrence::MEASURES);
            foreach ($found as $k => $measure) {
                self::assertClose(self::slowly($values, $width, $height, 2, $levels, $offset, $k), $measure, 1e-10, implode('|', $offset)." $k");
            }
            // a part gives what the whole gives, to the bit
            $part = Texture::measures(
                array_slice($values, 2 * $width, 7 * $width),
                new RowBlock($width, 3, 4, 2, 2),
                $size,
                $levels,
                0.0,
                6.0,
                [$offset],
                CoOccurrence::MEASURES,
            );
            foreach ($part as $k => $measure) {
                self::assertSame(array_map(strval(...), array_slice($found[$k], 4 * $width, 3 * $width)), array_map(strval(...), $measure));
            }
        }
        // one level: nothing varies, and what does not vary goes with nothing
        $even = Texture::measures(array_fill(0, 25, 2.0), new RowBlock(5, 5), 3, 4, 0.0, 4.0, [[1, 0], [0, 1]], CoOccurrence::MEASURES);
        self::assertSame([0.0, 0.0, 1.0, 1.0, 1.0, 0.0], array_map(fn (array $one): float => $one[12], array_slice($even, 0, 6)));
        self::assertNan($even[6][12]);
    }

    public function test_directions_are_those_of_the_map(): void
    {
        $north = new Grid(9, 9, [430_000.0, 10.0, 0.0, 6_060_000.0, 0.0, -10.0], 32632);
        self::assertSame([[0, 1], [-1, 1], [1, 0], [1, 1]], Texture::offsets($north, [0, 45, 90, 135], 1));
        self::assertSame([[0, 2], [2, 0]], Texture::offsets($north, [180, 270, 90], 2));
        // turned by 45 degrees, north runs along the diagonal
        $turned = new Grid(9, 9, [430_000.0, 7.0, 7.0, 6_060_000.0, 7.0, -7.0], 32632);
        self::assertSame([[1, -1], [1, 1]], array_map(fn (array $one): array => $one[1] === 1 && $one[0] < 0 ? [-$one[0], -1] : $one,
            Texture::offsets($turned, [0, 90], 1)));
        self::assertSame([[0, 1]], Texture::offsets(new Grid(3, 3), [0], 1));
    }

    public function test_an_outlier_moves_no_grey_level_and_is_told(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(3));
        $values = array_map(fn (): float => $random->getInt(0, 1_000_000) / 1e6, range(0, 99 * 99));
        $path = $this->image('clean.tif', 99, 99, ['nir' => array_slice($values, 0, 9801)]);
        $clean = $this->compute('derive.texture', ['image' => $path], ['measures' => 'contrast'], ['result' => "$this->folder/c.tif"]);
        self::assertArrayNotHasKey('warning', $clean);
        $values[50] = -9999.0;
        $path = $this->image('marked.tif', 99, 99, ['nir' => array_slice($values, 0, 9801)]);
        $figures = $this->compute('derive.texture', ['image' => $path], ['measures' => 'contrast'], ['result' => "$this->folder/m.tif"]);
        self::assertEqualsWithDelta([$clean['from'], $clean['to']], [$figures['from'], $figures['to']], 0.001);
        self::assertEqualsWithDelta([0.01, 0.99], [$figures['from'], $figures['to']], 0.005);
        self::assertStringContainsString('go from -9999 to', $figures['warning']);
        $mean = fn (string $name): float => array_sum($values = self::pixels("$this->folder/$name.tif")) / count($values);
        self::assertEqualsWithDelta($mean('c'), $mean('m'), 1.0);
    }

    public function test_levels_lie_between_percentiles_of_the_whole_and_are_told(): void
    {
        $values = array_map(floatval(...), range(0, 10_000));
        $image = $this->image('ramp.tif', 137, 73, ['red' => array_slice($values, 0, 10_001)]);
        $figures = $this->compute('derive.texture', ['image' => $image], ['measures' => 'contrast,asm'], ['result' => "$this->folder/t.tif"]);
        self::assertEqualsWithDelta(100.0, $figures['from'], 2.5);
        self::assertEqualsWithDelta(9900.0, $figures['to'], 2.5);
        self::assertSame(['0|1', '-1|1', '1|0', '1|1'], $figures['pairs']);
        $given = ['from' => $figures['from'], 'to' => $figures['to'], 'measures' => 'contrast,asm'];
        $this->compute('derive.texture', ['image' => $image], $given, ['result' => "$this->folder/u.tif"]);
        self::assertSame(self::pixels("$this->folder/t.tif"), self::pixels("$this->folder/u.tif"));
        $run = fn (array $settings): \Closure => fn () => $this->compute('derive.texture', ['image' => $image], $settings, ['result' => "$this->folder/x.tif"]);
        self::assertSame('size', $this->problem(2, 'of side 8 has no centre', $run(['size' => 8]))->about);
        self::assertSame('size', $this->problem(2, 'must be between 3 and 51', $run(['size' => 501]))->about);
        self::assertSame('distance', $this->problem(2, 'fit in a window of 3', $run(['size' => 3, 'distance' => 3]))->about);
        self::assertSame('from', $this->problem(2, 'from must be below to', $run(['from' => 5, 'to' => 5]))->about);
        self::assertSame('directions', $this->problem(2, 'The direction 400 is out of range', $run(['directions' => '400']))->about);
        $map = $this->raster('map.tif', RasterSpec::classes(self::grid(2, 1), new Legend([1 => ['name' => 'wood', 'colour' => '#224400']])), [[1, 1]]);
        $this->problem(3, 'are not grey levels', fn () => $this->compute('derive.texture', ['image' => $map], [], ['result' => "$this->folder/x.tif"]));
    }

    /**
     * Measure $k of CoOccurrence::MEASURES from the whole matrix of each window.
     *
     * @param  list<float>  $values
     * @param  array{int, int}  $offset
     * @return list<float>
     */
    private static function slowly(array $values, int $width, int $height, int $half, int $levels, array $offset, int $k): array
    {
        $out = [];
        for ($i = 0; $i < $width * $height; $i++) {
            [$col, $row] = [$i % $width, intdiv($i, $width)];
            $matrix = array_fill(0, $levels * $levels, 0.0);
            $inside = fn (int $c, int $r): bool => $c >= max(0, $col - $half) && $c <= min($width - 1, $col + $half)
                && $r >= max(0, $row - $half) && $r <= min($height - 1, $row + $half) && ! is_nan($values[$r * $width + $c]);
            for ($r = $row - $half; $r <= $row + $half; $r++) {
                for ($c = $col - $half; $c <= $col + $half; $c++) {
                    if ($inside($c, $r) && $inside($c + $offset[0], $r + $offset[1])) {
                        [$a, $b] = [(int) $values[$r * $width + $c], (int) $values[($r + $offset[1]) * $width + $c + $offset[0]]];
                        $matrix[$a * $levels + $b]++;
                        $matrix[$b * $levels + $a]++;
                    }
                }
            }
            $sum = array_sum($matrix);
            if (is_nan($values[$i]) || $sum === 0.0) {
                $out[] = NAN;

                continue;
            }
            $mean = $value = $variance = 0.0;
            foreach ($matrix as $m => $n) {
                $mean += intdiv($m, $levels) * $n / $sum;
            }
            foreach ($matrix as $m => $n) {
                [$a, $b, $p] = [intdiv($m, $levels), $m % $levels, $n / $sum];
                $variance += ($a - $mean) ** 2 * $p;
                $value += match ($k) {
                    0 => ($a - $b) ** 2 * $p,
                    1 => abs($a - $b) * $p,
                    2 => $p / (1 + ($a - $b) ** 2),
                    3, 4 => $p * $p,
                    5 => $p > 0 ? -$p * log($p) : 0.0,
                    default => ($a - $mean) * ($b - $mean) * $p,
                };
            }
            $out[] = match ($k) {
                4 => sqrt($value),
                6 => $variance > 1e-12 ? $value / $variance : NAN,
                default => $value,
            };
        }

        return $out;
    }
}
