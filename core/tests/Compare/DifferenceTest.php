<?php

namespace Chorometra\Core\Tests\Compare;

use Chorometra\Core\Compare\Difference;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\Quantiles;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Tests\Samples;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

final class DifferenceTest extends TestCase
{
    use Samples;

    /** The planted pixels of fixtures/p_change.json, by row and column. */
    private const PLANTED = [[2, 6], [2, 7], [2, 8], [3, 6], [3, 7], [3, 8], [7, 1]];

    /** @return array<string, mixed> */
    private static function planted(): array
    {
        return self::fixture('p_change.json')['diff'];
    }

    /**
     * @param  array<string, mixed>  $settings
     * @return array{array<string, mixed>, list<list<float>>, list<int>}
     */
    private function difference(array $settings, ?array $before = null, ?array $after = null, int $width = 10, array $inputs = []): array
    {
        $values = array_merge(...self::planted()['difference']);
        $before ??= array_fill(0, 100, 1000.0);
        $after ??= array_map(fn (int $difference): float => 1000.0 + $difference, $values);
        $grid = self::grid($width, intdiv(count($before), $width));
        $inputs += [
            'before' => $this->raster('before.tif', new RasterSpec($grid, [new Band('red')]), [$before]),
            'after' => $this->raster('after.tif', new RasterSpec($grid, [new Band('red')]), [$after]),
        ];
        $outputs = ['difference' => "$this->folder/difference.tif"] + (isset($settings['limits']) ? ['changes' => "$this->folder/changes.tif"] : []);
        $kind = new Difference;
        $figures = Runner::run($kind, CallOpener::call($kind, $inputs, $settings, $outputs, new Context(2)));
        $all = new Window(0, 0, $grid->width, $grid->height);
        $made = Values::of(new GeoTiffImage($outputs['difference']), 0, $all);
        $changes = isset($settings['limits']) ? Values::of(new GeoTiffImage($outputs['changes']), 0, $all) : [];

        return [$figures, [$made], array_map(fn (float $code): int => is_nan($code) ? 255 : (int) $code, $changes)];
    }

    /**
     * @param  list<int>  $changes
     * @return list<array{int, int}>
     */
    private static function changed(array $changes): array
    {
        return array_map(fn (int $i): array => [intdiv($i, 10), $i % 10], array_keys(array_filter($changes, fn (int $code): bool => $code !== 2)));
    }

    public function test_standard_and_robust_deviations_find_what_was_planted(): void
    {
        // fixtures/p_change.json: change inflates the standard deviation, so that three of them miss two pixels, which the robust spread finds
        $fixture = self::planted();
        [$figures, , $changes] = $this->difference(['limits' => 'deviations', 'below' => -2, 'above' => 2]);
        self::assertEqualsWithDelta($fixture['mean'], $figures['spread'][0]['middle'], 1e-12);
        self::assertEqualsWithDelta($fixture['sd_n_minus_1'], $figures['spread'][0]['deviation'], 1e-9);
        self::assertSame(self::PLANTED, self::changed($changes));
        [, , $changes] = $this->difference(['limits' => 'deviations', 'below' => -3, 'above' => 3]);
        self::assertSame($fixture['changed_abs_z_above_3'], self::changed($changes));
        [$figures, , $changes] = $this->difference(['limits' => 'deviations', 'below' => -3.5, 'above' => 3.5, 'spread' => 'robust']);
        self::assertEqualsWithDelta($fixture['median'], $figures['spread'][0]['middle'], 1e-12);
        self::assertEqualsWithDelta($fixture['mad_scaled'], $figures['spread'][0]['deviation'], 1e-9);
        self::assertSame(self::PLANTED, self::changed($changes));
        self::assertSame(['less red', 'unchanged', 'more red'], array_column($figures['changes']['classes'], 'class'));
    }

    public function test_scores_are_deviations_from_the_middle(): void
    {
        [, [$scores]] = $this->difference(['scores' => true]);
        self::assertEqualsWithDelta((79 - 6.53) / 18.3156691762, $scores[27], 1e-5);
        // on scores a limit in deviations is a value
        [$figures] = $this->difference(['scores' => true, 'limits' => 'deviations', 'above' => 2]);
        self::assertSame(2.0, $figures['above']);
        self::assertArrayNotHasKey('below', $figures);
    }

    public function test_forms_by_hand_and_where_they_have_no_value(): void
    {
        $before = [0.4, 0.0, -0.1, 0.2, NAN];
        $after = [0.1, 0.3, 0.2, -0.2, 0.5];
        $wanted = [
            'subtract' => [-0.3, 0.3, 0.3, -0.4, NAN],
            'ratio' => [0.25, NAN, -2.0, -1.0, NAN],
            // sources.md, 6: ln(0.02 / 0.08) = ln 0.25
            'log-ratio' => [-1.386294361, NAN, NAN, NAN, NAN],
            'normalised' => [-0.6, 1.0, 3.0, NAN, NAN],
        ];
        foreach ($wanted as $how => $values) {
            [, [$made]] = $this->difference(['how' => $how], $before, $after, 5);
            foreach ($values as $i => $value) {
                is_nan($value) ? self::assertNan($made[$i], "$how $i") : self::assertEqualsWithDelta($value, $made[$i], 1e-6, "$how $i");
            }
        }
    }

    public function test_percentiles_are_exact_in_any_number_of_values(): void
    {
        // numpy.percentile(a, [2.5, 50, 97.5]) of its linear method is type 7; here against a whole sort
        mt_srand(7);
        foreach ([fn (): float => mt_rand() / mt_getrandmax() ** 2, fn (): float => (float) mt_rand(0, 3), fn (): float => 5.0] as $draw) {
            $values = array_map($draw, range(1, 400_000));
            $values[17] = NAN;
            $sorted = array_values(array_filter($values, fn (float $value): bool => ! is_nan($value)));
            sort($sorted);
            $blocks = array_chunk($values, 40_000);
            $found = Quantiles::of(10, 400_000, fn (int $block): array => [[$blocks[$block]]], [0.0, 0.025, 0.5, 0.975, 1.0], new Context(2))[0];
            foreach ([0.0, 0.025, 0.5, 0.975, 1.0] as $k => $share) {
                self::assertSame(Quantiles::between($sorted, $share), $found[$k]);
            }
        }
        // values in order: what lies in a sample of the first block tells nothing of the rest
        $blocks = array_chunk(array_map(floatval(...), range(1, 400_000)), 40_000);
        self::assertSame([[200_000.5]], Quantiles::of(10, 400_000, fn (int $block): array => [[$blocks[$block]]], [0.5], new Context(2)));
        self::assertNan(Quantiles::of(1, 3, fn (): array => [[[NAN, NAN, NAN]]], [0.5], new Context(1))[0][0]);
    }

    public function test_percentile_limits_leave_out_the_wanted_part_at_each_end(): void
    {
        mt_srand(5);
        $before = array_fill(0, 10_000, 0.0);
        $after = array_map(fn (): float => mt_rand() / mt_getrandmax(), $before);
        [, , $changes] = $this->difference(['limits' => 'percentiles', 'below' => 2.5, 'above' => 97.5], $before, $after, 100);
        $counts = array_count_values($changes);
        ksort($counts);
        self::assertSame([1 => 250, 2 => 9500, 3 => 250], $counts);
    }

    public function test_what_was_marked_as_stable_is_told(): void
    {
        $grid = self::grid(10, 10);
        $left = [$grid->toMap(0, 0), $grid->toMap(5, 0), $grid->toMap(5, 10), $grid->toMap(0, 10), $grid->toMap(0, 0)];
        $area = $this->features('stable', [['type' => 'Polygon', 'coordinates' => [$left]]]);
        [$figures] = $this->difference(['limits' => 'values', 'below' => -20, 'above' => 20], inputs: ['stable' => $area]);
        $values = array_merge(...array_map(fn (array $row): array => array_slice($row, 0, 5), self::planted()['difference']));
        $mean = array_sum($values) / 50;
        [$row] = $figures['stable'];
        self::assertSame(50, $row['pixels']);
        self::assertEqualsWithDelta($mean, $row['mean'], 1e-9);
        self::assertEqualsWithDelta(sqrt(array_sum(array_map(fn (int $v): float => ($v - $mean) ** 2, $values)) / 49), $row['deviation'], 1e-9);
        self::assertEqualsWithDelta(count(array_filter($values, fn (int $v): bool => abs($v) > 20)) / 50, $row['beyond limits'], 1e-12);
    }

    public function test_what_can_t_be_compared_is_told_at_once(): void
    {
        $told = [
            'Set a limit beyond which' => ['limits' => 'values'],
            'is above the upper limit' => ['limits' => 'values', 'below' => 3, 'above' => 2],
            'between 0 and 100 %' => ['limits' => 'percentiles', 'below' => -3],
            'has no band nir' => ['bands' => 'nir'],
        ];
        foreach ($told as $sentence => $settings) {
            try {
                $this->difference($settings);
                self::fail($sentence);
            } catch (Problem $problem) {
                self::assertStringContainsString($sentence, $problem->getMessage());
            }
        }
        $this->expectExceptionMessage('nearly the same everywhere');
        $this->difference(['scores' => true], array_fill(0, 100, 1.0), array_fill(0, 100, 2.0));
    }
}
