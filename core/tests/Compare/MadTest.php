<?php

namespace Chorometra\Core\Tests\Compare;

use Chorometra\Core\Compare\Alteration\Detection;
use Chorometra\Core\Compare\Mad;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\ChiSquare;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Tests\Samples;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

final class MadTest extends TestCase
{
    use Samples;

    /**
     * @param  list<list<float>>  $before  by band
     * @param  list<list<float>>  $after
     * @param  array<string, mixed>  $settings
     * @return array{array<string, mixed>, array<string, GeoTiffImage>}
     */
    private function mad(array $before, array $after, array $settings, int $width, int $workers = 2): array
    {
        $grid = self::grid($width, intdiv(count($before[0]), $width));
        $spec = fn (array $bands): RasterSpec => new RasterSpec($grid, array_map(fn (int $k): Band => new Band, array_keys($bands)), SampleType::Float64);
        $inputs = ['before' => $this->raster('before.tif', $spec($before), $before), 'after' => $this->raster('after.tif', $spec($after), $after)];
        $outputs = [];
        foreach (['probability', 'variates', 'changes'] as $name) {
            $outputs[$name] = "$this->folder/$name.tif";
        }
        $kind = new Mad;
        $figures = Runner::run($kind, CallOpener::call($kind, $inputs, $settings, $outputs, new Context($workers)));

        return [$figures, array_map(fn (string $path): GeoTiffImage => new GeoTiffImage($path), $outputs)];
    }

    /** @return list<list<float>> by band */
    private static function bands(array $pixels): array
    {
        return array_map(fn (int $k): array => array_map(floatval(...), array_column($pixels, $k)), array_keys($pixels[0]));
    }

    public function test_variates_and_probabilities_are_those_of_the_reference(): void
    {
        // fixtures/p_change.json, numpy; R's cancor agrees with the correlations
        $mad = self::fixture('p_change.json')['mad'];
        [$figures, $made] = $this->mad(self::bands($mad['X']), self::bands($mad['Y']), ['reweightings' => 0], 12);
        self::assertSame(120, $figures['pixels']);
        self::assertEqualsWithDelta($mad['canonical_correlations'], array_values(array_slice($figures['correlations'][0], 1)), 1e-9);
        $all = new Window(0, 0, 12, 10);
        for ($k = 0; $k < 3; $k++) {
            self::assertEqualsWithDelta(array_column($mad['mad_first_8'], $k), array_slice(Values::of($made['variates'], $k, $all), 0, 8), 1e-6, "variate $k");
        }
        self::assertEqualsWithDelta($mad['no_change_probability_first_16'], array_slice(Values::of($made['probability'], 0, $all), 0, 16), 1e-7);
        self::assertEqualsWithDelta($mad['chi2_first_16'], array_slice(Values::of($made['probability'], 1, $all), 0, 16), 1e-5);
        $changed = array_keys(array_filter(Values::of($made['changes'], 0, $all), fn (float $code): bool => $code === 2.0));
        self::assertSame($mad['pixels_changed_p_below_0_01'], $changed);
    }

    public function test_rounds_of_weights_are_those_of_the_reference(): void
    {
        $mad = self::fixture('p_change.json')['mad'];
        [$figures] = $this->mad(self::bands($mad['X']), self::bands($mad['Y']), ['reweightings' => 5], 12);
        foreach ($mad['irmad_fixed_number_of_iterations'] as $round) {
            self::assertEqualsWithDelta($round['canonical_correlations'], array_values(array_slice($figures['correlations'][$round['iteration']], 1)), 2e-7);
        }
        self::assertEqualsWithDelta(end($mad['irmad_fixed_number_of_iterations'])['sum_of_weights_used'], 120 * $figures['weight'], 1e-5);
    }

    public function test_gains_offsets_and_mixtures_of_bands_change_nothing(): void
    {
        $mad = self::fixture('p_change.json')['mad'];
        [$before, $after] = [self::bands($mad['X']), self::bands($mad['Y'])];
        $mix = fn (array $row): array => array_map(fn (float $a, float $b, float $c): float => 300 + $row[0] * $a + $row[1] * $b + $row[2] * $c, ...$after);
        $mixed = array_map($mix, [[2.0, 0.1, 0.0], [-0.5, 0.01, 0.2], [0.0, 3.0, 7.0]]);
        $all = new Window(0, 0, 12, 10);
        $chi = fn (array $made): array => Values::of($made['probability'], 1, $all);
        [, $plain] = $this->mad($before, $after, ['reweightings' => 1], 12);
        $wanted = $chi($plain);
        [, $moved] = $this->mad($before, $mixed, ['reweightings' => 1], 12);
        foreach ($chi($moved) as $i => $value) {
            self::assertEqualsWithDelta(1.0, $value / $wanted[$i], 1e-5);
        }
    }

    public function test_the_table_of_probabilities_keeps_eight_places(): void
    {
        foreach ([1, 2, 3, 6, 12] as $freedom) {
            $table = Detection::table($freedom);
            $chi = [0.0, 1e-6, 0.013, 0.7, 2.0, 9.99, 31.7, 120.0, 400.0, NAN];
            $found = Detection::probabilities($chi, 10, $table);
            foreach (array_slice($chi, 0, 9) as $i => $value) {
                self::assertEqualsWithDelta(ChiSquare::above($value, $freedom), $found[$i], 1e-8, "$freedom, $value");
            }
            self::assertNan($found[9]);
        }
    }

    public function test_what_was_planted_is_found_under_another_light_and_nodata_stays_it(): void
    {
        mt_srand(11);
        $noise = fn (): float => (mt_rand() + mt_rand() + mt_rand() + mt_rand()) / mt_getrandmax() - 2.0;
        $before = $after = [];
        for ($i = 0; $i < 6000; $i++) {
            $ground = [mt_rand() / mt_getrandmax(), mt_rand() / mt_getrandmax(), mt_rand() / mt_getrandmax(), mt_rand() / mt_getrandmax()];
            foreach ($ground as $k => $value) {
                $before[$k][$i] = $value + 0.01 * $noise();
                $after[$k][$i] = 0.3 + (0.5 + 0.2 * $k) * $value + 0.01 * $noise() + ($i < 300 && $k === 2 ? 0.4 : 0.0);
            }
        }
        $before[1][5999] = NAN;
        [$figures, $made] = $this->mad($before, $after, ['reweightings' => 3, 'at-most' => 0.001], 100);
        $changes = Values::of($made['changes'], 0, new Window(0, 0, 100, 60));
        $found = count(array_filter(array_slice($changes, 0, 300), fn (float $code): bool => $code === 2.0));
        $wrong = count(array_filter(array_slice($changes, 300), fn (float $code): bool => $code === 2.0));
        self::assertSame(300, $found);
        self::assertLessThan(300, $wrong);
        self::assertNan($changes[5999]);
        self::assertStringContainsString('band 3 after', $figures['driven']);
        // the same to the byte however many work
        $bytes = md5_file("$this->folder/probability.tif");
        $this->mad($before, $after, ['reweightings' => 3, 'at-most' => 0.001], 100, 1);
        self::assertSame($bytes, md5_file("$this->folder/probability.tif"));
    }

    public function test_weights_that_run_away_are_stopped_and_told(): void
    {
        $mad = self::fixture('p_change.json')['mad'];
        [$figures] = $this->mad(self::bands($mad['X']), self::bands($mad['Y']), ['reweightings' => 30], 12);
        self::assertStringContainsString('of 30 rounds', $figures['stopped']);
        self::assertLessThan(30, count($figures['correlations']) - 1);
    }

    public function test_what_can_t_be_told_apart_is_said(): void
    {
        $draw = fn (): array => array_map(fn (): float => (float) mt_rand(0, 1000), range(1, 100));
        [$a, $b, $c] = [$draw(), $draw(), $draw()];
        $doubled = array_map(fn (float $value): float => 3 + 2 * $value, $a);
        $told = [
            'Reweighting needs three bands' => [[$a, $b], [$b, $c], ['reweightings' => 1]],
            'made of the others' => [[$a, $doubled, $b], [$a, $b, $c], []],
            'one value only' => [[$a, array_fill(0, 100, 5.0), $b], [$a, $b, $c], []],
            'nothing changed' => [[$a, $b, $c], [$doubled, $b, $c], []],
            'too few pixels' => [[[1.0, 2.0], [2.0, 5.0], [4.0, 4.0]], [[1.0, 2.0], [2.0, 5.0], [4.0, 4.0]], []],
        ];
        foreach ($told as $sentence => [$before, $after, $settings]) {
            try {
                $this->mad($before, $after, $settings, count($before[0]) > 2 ? 10 : 2);
                self::fail($sentence);
            } catch (Problem $problem) {
                self::assertStringContainsString($sentence, $problem->getMessage());
            }
        }
    }
}
