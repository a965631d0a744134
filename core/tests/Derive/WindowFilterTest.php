<?php

namespace Chorometra\Core\Tests\Derive;

use Chorometra\Core\Derive\WindowFilter;
use Chorometra\Core\Derive\Windows\Gaussian;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\DataProvider;

/** Filters against scipy.ndimage on one image (fixtures/d_filters.json), and by brute force where there are holes. */
final class WindowFilterTest extends TestCase
{
    /** @return array<string, array{string, string, array<string, float|int>}> */
    public static function cases(): array
    {
        return [
            'mean 3' => ['uniform_3_nearest', 'mean', ['size' => 3]],
            'mean 5' => ['uniform_5_nearest', 'mean', ['size' => 5]],
            'median 3' => ['median_3_nearest', 'median', ['size' => 3]],
            'median 5' => ['median_5_nearest', 'median', ['size' => 5]],
            'minimum 3' => ['minimum_3_nearest', 'minimum', ['size' => 3]],
            'maximum 3' => ['maximum_3_nearest', 'maximum', ['size' => 3]],
            'gaussian 1' => ['gaussian_sigma1_truncate4_nearest', 'gaussian', ['sigma' => 1.0]],
            'gaussian 2' => ['gaussian_sigma2_truncate4_nearest', 'gaussian', ['sigma' => 2.0]],
            'variance 3' => ['local_variance_3_divide_by_9_nearest', 'deviation', ['size' => 3]],
        ];
    }

    /** @param  array<string, float|int>  $settings */
    #[DataProvider('cases')]
    public function test_values_are_those_of_scipy(string $expected, string $filter, array $settings): void
    {
        $data = self::fixture('d_filters.json');
        $image = $this->image('ramp.tif', 16, 16, ['nir' => array_map(floatval(...), array_merge(...$data['image']))]);
        $this->compute('derive.filter', ['image' => $image], ['filter' => $filter] + $settings, ['result' => "$this->folder/f.tif"]);
        $values = array_map(floatval(...), array_merge(...$data['expected'][$expected]));
        $values = $filter === 'deviation' ? array_map(sqrt(...), $values) : $values;
        self::assertClose($values, self::pixels("$this->folder/f.tif"), 2e-5);
    }

    public function test_the_edge_is_the_size_of_both_differences(): void
    {
        $data = self::fixture('d_filters.json');
        $image = $this->image('ramp.tif', 16, 16, ['nir' => array_map(floatval(...), array_merge(...$data['image']))]);
        $this->compute('derive.filter', ['image' => $image], ['filter' => 'edge'], ['result' => "$this->folder/f.tif"]);
        $sizes = array_map(hypot(...), array_merge(...$data['expected']['sobel_axis0_nearest']), array_merge(...$data['expected']['sobel_axis1_nearest']));
        self::assertClose($sizes, self::pixels("$this->folder/f.tif"), 1e-4);
    }

    public function test_an_outlier_is_gone_where_the_window_has_left_it(): void
    {
        foreach ([-3.4028234663852886e38, 1e9] as $outlier) {
            $row = array_map(floatval(...), range(1, 12));
            $row[2] = $outlier;
            $made = WindowFilter::filtered([...$row, ...$row, ...$row], new RowBlock(12, 3), 'mean', 1, 1.0);
            self::assertClose([5.0, 6.0, 7.0, 8.0, 9.0, 10.0, 11.0], array_slice($made, 16, 7), 1e-12);
            foreach (['mean' => 5.0, 'deviation' => sqrt(2 / 3)] as $filter => $right) {
                foreach ([false, true] as $isHoled) {
                    $below = $isHoled ? array_fill(0, 12, NAN) : $row;
                    $made = WindowFilter::filtered([...$row, ...$row, ...$below], new RowBlock(12, 3), $filter, 1, 1.0);
                    self::assertEqualsWithDelta($right, $made[16], 1e-9, "$filter beside $outlier");
                }
            }
        }
    }

    public function test_an_offset_takes_nothing_from_the_deviation(): void
    {
        $alternating = array_map(fn (int $i): float => 4e9 + 2 * ($i % 2), range(0, 48));
        $made = WindowFilter::filtered($alternating, new RowBlock(7, 7), 'deviation', 1, 1.0);
        // five of one and four of the other
        self::assertEqualsWithDelta(2 * sqrt(20 / 81), $made[24], 1e-6);
        foreach ([1e8, 0.1, 3.4e38] as $value) {
            foreach ([$value, NAN] as $corner) {
                $made = WindowFilter::filtered([...array_fill(0, 48, $value), $corner], new RowBlock(7, 7), 'deviation', 2, 1.0);
                self::assertSame(array_fill(0, 48, 0.0), array_slice($made, 0, 48), "constant $value");
            }
        }
        $halves = array_map(fn (int $i): float => ($i % 14 < 7 ? 0.0 : 4e9) + 2 * ($i % 2), range(0, 14 * 14 - 1));
        $made = WindowFilter::filtered($halves, new RowBlock(14, 14), 'deviation', 1, 1.0);
        self::assertEqualsWithDelta(2 * sqrt(18 / 81), $made[5 * 14 + 3], 1e-6);
        self::assertEqualsWithDelta(2 * sqrt(18 / 81), $made[5 * 14 + 10], 1e-6);
    }

    public function test_holes_are_left_out_and_stay_holes(): void
    {
        [$width, $height] = [13, 9];
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(11));
        $values = [];
        for ($i = 0; $i < $width * $height; $i++) {
            $values[] = $random->getInt(0, 4) === 0 ? NAN : $random->getInt(-50, 50) / 4;
        }
        foreach ([1, 2, 6] as $half) {
            foreach (['mean', 'median', 'minimum', 'maximum', 'deviation'] as $filter) {
                $made = WindowFilter::filtered($values, new RowBlock($width, $height), $filter, $half, 1.0);
                self::assertClose(self::slowly($values, $width, $height, $filter, $half), $made, 1e-9, "$filter $half");
            }
        }
        // whole numbers go through a histogram that moves along
        $whole = array_map(fn (float $value): float => 4.0 * $value, $values);
        foreach ([1, 3] as $half) {
            $made = WindowFilter::filtered($whole, new RowBlock($width, $height), 'median', $half, 1.0);
            self::assertSame(array_map(strval(...), self::slowly($whole, $width, $height, 'median', $half)), array_map(strval(...), $made));
        }
        $weights = Gaussian::weights(0.7);
        $half = Gaussian::reach(0.7);
        self::assertSame(3, $half);
        self::assertEqualsWithDelta(1.0, array_sum($weights), 1e-12);
        $made = WindowFilter::filtered($values, new RowBlock($width, $height), 'gaussian', $half, 0.7);
        self::assertClose(self::slowly($values, $width, $height, 'gaussian', $half, $weights), $made, 1e-9);
        // beside a hole there is no edge where the ground is even
        $even = array_fill(0, $width * $height, 3.0);
        $even[5 * $width + 4] = NAN;
        $edges = WindowFilter::filtered($even, new RowBlock($width, $height), 'edge', 1, 1.0);
        self::assertSame(0.0, array_sum(array_filter($edges, fn (float $value): bool => ! is_nan($value))));
        self::assertNan($edges[5 * $width + 4]);
    }

    public function test_parts_of_an_image_give_what_the_whole_gives(): void
    {
        [$width, $height] = [7, 12];
        $values = array_map(fn (int $i): float => ($i * 37 % 23) - 3.0, range(0, $width * $height - 1));
        foreach (['mean', 'median', 'gaussian', 'minimum', 'maximum', 'deviation', 'edge'] as $filter) {
            $half = $filter === 'edge' ? 1 : 2;
            $whole = WindowFilter::filtered($values, new RowBlock($width, $height), $filter, $half, 0.5);
            $part = WindowFilter::filtered(array_slice($values, 3 * $width, 7 * $width), new RowBlock($width, 3, 5, 2, 2), $filter, $half, 0.5);
            self::assertClose(array_slice($whole, 5 * $width, 3 * $width), $part, 1e-12, $filter);
        }
    }

    public function test_bands_keep_what_they_are_and_measures_are_told_apart(): void
    {
        $image = $this->image('two.tif', 2, 1, ['red' => [0.2, 0.4], 'nir' => [0.6, 0.4]]);
        $this->compute('derive.filter', ['image' => $image], ['bands' => 'nir'], ['result' => "$this->folder/f.tif"]);
        self::assertSame('nir', (new GeoTiffImage("$this->folder/f.tif"))->spec()->bands[0]->role);
        $this->compute('derive.filter', ['image' => $image], ['filter' => 'deviation', 'bands' => 'nir'], ['result' => "$this->folder/d.tif"]);
        self::assertNull((new GeoTiffImage("$this->folder/d.tif"))->spec()->bands[0]->role);
        $call = fn (array $settings): \Closure => fn () => $this->compute('derive.filter', ['image' => $image], $settings, ['result' => "$this->folder/x.tif"]);
        self::assertSame('size', $this->problem(2, 'A window of side 4 has no centre', $call(['size' => 4]))->about);
        self::assertSame('size', $this->problem(2, 'it must be between 3 and 101', $call(['size' => 501]))->about);
        self::assertSame('bands', $this->problem(3, 'has no band swir1', $call(['bands' => 'swir1']))->about);
        $map = $this->raster('map.tif', RasterSpec::classes(self::grid(2, 1), new Legend([1 => ['name' => 'wood', 'colour' => '#224400']])), [[1, 1]]);
        $out = ['result' => "$this->folder/x.tif"];
        $this->problem(3, 'contains class codes, which have no mean', fn () => $this->compute('derive.filter', ['image' => $map], [], $out));
        $this->problem(3, 'contains class codes, not elevations', fn () => $this->compute('derive.terrain', ['elevation' => $map], [], $out));
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $weights
     * @return list<float>
     */
    private static function slowly(array $values, int $width, int $height, string $filter, int $half, array $weights = []): array
    {
        $out = [];
        for ($row = 0; $row < $height; $row++) {
            for ($col = 0; $col < $width; $col++) {
                $window = [];
                $sum = $weight = 0.0;
                for ($y = -$half; $y <= $half; $y++) {
                    for ($x = -$half; $x <= $half; $x++) {
                        $value = $values[max(0, min($height - 1, $row + $y)) * $width + max(0, min($width - 1, $col + $x))];
                        if (! is_nan($value)) {
                            $window[] = $value;
                            $w = $weights === [] ? 1.0 : $weights[$y + $half] * $weights[$x + $half];
                            $sum += $w * $value;
                            $weight += $w;
                        }
                    }
                }
                sort($window);
                $count = count($window);
                $mean = $weight > 0 ? $sum / $weight : NAN;
                $out[] = is_nan($values[$row * $width + $col]) ? NAN : match ($filter) {
                    'median' => ($window[intdiv($count - 1, 2)] + $window[intdiv($count, 2)]) / 2,
                    'minimum' => $window[0],
                    'maximum' => $window[$count - 1],
                    'deviation' => sqrt(array_sum(array_map(fn (float $value): float => ($value - $mean) ** 2, $window)) / $count),
                    default => $mean,
                };
            }
        }

        return $out;
    }
}
